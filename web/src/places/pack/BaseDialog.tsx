// Change the base: says at once what still fits and what does not, before anything is kept. Nothing is lost.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { sendEdits } from "../../api/edits";
import { useChange, useDraft, useGames } from "../../api/queries";
import { ChangeList } from "../../parts/ChangeList";
import { RefusalRemark } from "../../parts/notices";
import { many } from "../../parts/words";
import { type BaseChoice, BaseFields } from "../BaseFields";
import { BaseOutlook } from "./BaseOutlook";

export function BaseDialog({ pack, revision, close }: { pack: Shape["PackOut"]; revision: number; close: () => void }) {
  const games = useGames().data;
  const lines = useDraft(pack.id).data?.lines ?? [];
  const now: BaseChoice = {
    game_version: pack.base.game_version,
    loader: pack.base.loader,
    loader_version: pack.base.loader_version,
  };
  const [base, setBase] = useState(now);
  const same = JSON.stringify(base) === JSON.stringify(now);
  const edit = { do: "base" as const, ...base };
  const rehearsed = useQuery({
    queryKey: ["pack", pack.id, "rehearsal", revision, base],
    queryFn: () => sendEdits(pack.id, revision, [edit], "rehearse"),
    enabled: !same,
    retry: false,
    placeholderData: (before) => before,
  });
  const change = useChange(() => sendEdits(pack.id, revision, [edit], "keep"), ["pack", pack.id], ["packs"]);
  const game = games?.find((one) => one.id === pack.base.game);
  const outcome = same ? undefined : rehearsed.data;
  const already = lines.filter((one) => one.state === "unsettled" && !outcome?.settled_again.includes(one.mod));
  const unfit = [...(outcome?.unsettled ?? []), ...already];
  const chosen = lines.filter((one) => one.group === "chosen" && one.on).length;
  return (
    <Dialog open onClose={close} maxWidth="md" fullWidth aria-labelledby="base-title">
      <DialogTitle id="base-title">Change the base of {pack.name}</DialogTitle>
      <DialogContent sx={{ minHeight: 320 }}>
        <Box sx={{ pt: 1, mb: 2 }}>{game && <BaseFields game={game} value={base} onChange={setBase} />}</Box>
        <RefusalRemark error={same ? null : rehearsed.error} />
        <BaseOutlook packId={pack.id} value={base} choose={setBase} />
        {same && <p>Look at another base, and see here what the move would change before it is made.</p>}
        {outcome && (
          <Box aria-live="polite" aria-busy={rehearsed.isFetching}>
            <p>
              <strong>
                {chosen - unfit.length} of {many(chosen, "chosen line")} still fit
              </strong>
              {unfit.length > 0 && "; the others stay in the draft without a build, and come back when they fit again"}.
            </p>
            {unfit.map((one) => (
              <Box key={one.mod} sx={{ py: 0.25, fontSize: "0.9rem" }}>
                <Box component="span" sx={{ color: "error.main" }}>
                  ▬
                </Box>{" "}
                <strong>{one.name}</strong> {one.why}
              </Box>
            ))}
            {outcome.changes.length === 0 && <p>No build changes.</p>}
            <Box sx={{ mt: 2 }}>
              <ChangeList changes={outcome.changes} />
            </Box>
          </Box>
        )}
        <RefusalRemark error={change.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Keep it as it is</Button>
        <Button
          variant="contained"
          disabled={same || rehearsed.isError || change.isPending}
          onClick={() => change.mutate(undefined, { onSuccess: close })}
        >
          Change the base
        </Button>
      </DialogActions>
    </Dialog>
  );
}
