// What the pack asks of a machine, and how these sums come about.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { Shape } from "../../api/client";
import { bytes, gigabytes, many } from "../../parts/words";

export function DemandDialog({ draft, close }: { draft: Shape["DraftOut"]; close: () => void }) {
  const { demand } = draft;
  const heaviest = [...draft.lines].sort((a, b) => b.size - a.size).slice(0, 8);
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth aria-labelledby="demand-title">
      <DialogTitle id="demand-title">What the pack asks of a machine</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5 }}>
        <div>
          <strong>
            Memory for the game: {gigabytes(demand.minimum)}, better {gigabytes(demand.recommended)}.
          </strong>{" "}
          The game's own figure and that of every build.{" "}
          {demand.estimated > 0 &&
            `${many(demand.estimated, "build")} name none: theirs are estimated by kind and size.`}{" "}
          {demand.shares}: for this pack that is one with {gigabytes(demand.comfortable_machine)}, or at the least{" "}
          {gigabytes(demand.smallest_machine)}.
        </div>
        <div>
          <strong>
            Download {bytes(draft.download)}, on disk {bytes(demand.disk)}
          </strong>{" "}
          beside one copy of the game: the files in their places, and the archives once in the store, however many
          installations share them.
        </div>
        <Box>
          <strong>The largest downloads</strong>
          {heaviest.map((one) => (
            <Box
              key={one.mod}
              sx={{ display: "flex", justifyContent: "space-between", borderTop: 1, borderColor: "divider", py: 0.4 }}
            >
              <span>{one.name}</span>
              <span>{bytes(one.size)}</span>
            </Box>
          ))}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
