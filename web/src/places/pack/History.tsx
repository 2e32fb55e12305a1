// Who did what, when; every edit can be taken back by anybody, as far as nobody changed the same lines since.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useEdits } from "../../api/queries";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { when } from "../../parts/words";
import type { Editing } from "./useEditing";

export function HistoryDialog({
  packId,
  editing,
  may,
  close,
}: {
  packId: string;
  editing: Editing;
  may: boolean;
  close: () => void;
}) {
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth aria-labelledby="history-title">
      <DialogTitle id="history-title">Edits of this draft</DialogTitle>
      <DialogContent>
        <RefusalRemark error={editing.refused} />
        <Loaded query={useEdits(packId)} rows={8}>
          {(edits) =>
            edits.map((one) => (
              <Box
                key={one.revision}
                sx={{
                  display: "flex",
                  gap: 1,
                  py: 0.5,
                  borderTop: 1,
                  borderColor: "divider",
                  fontSize: "0.9rem",
                  alignItems: "center",
                }}
              >
                <Box
                  sx={{
                    flex: 1,
                    color: one.taken_back ? "text.secondary" : undefined,
                    textDecoration: one.taken_back ? "line-through" : undefined,
                    overflowWrap: "anywhere",
                  }}
                >
                  {one.sentence}
                </Box>
                <Box sx={{ color: "text.secondary", fontSize: "0.82rem", whiteSpace: "nowrap" }}>
                  {one.by}, {when(one.at)}
                </Box>
                {may && !one.taken_back && (
                  <Button
                    size="small"
                    sx={{ py: 0, flex: "none" }}
                    disabled={editing.pending}
                    aria-label={`Take back: ${one.sentence}`}
                    onClick={() => editing.edit({ do: "take back", revision: one.revision })}
                  >
                    Take back
                  </Button>
                )}
              </Box>
            ))
          }
        </Loaded>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
