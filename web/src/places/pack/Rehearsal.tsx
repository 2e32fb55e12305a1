// What an edit would do beyond what was asked, before it is kept. For a mod that others need: they can go with it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { Shape } from "../../api/client";
import { ChangeList } from "../../parts/ChangeList";
import { effects } from "../../parts/words";
import type { Editing } from "./useEditing";
import { WaysOut } from "./WaysOut";

type Line = Shape["LineOut"];

export function RehearsalDialog({ editing, lines }: { editing: Editing; lines: Line[] }) {
  const { rehearsal } = editing;
  if (!rehearsal) return null;
  const { outcome, edits } = rehearsal;
  const staying = edits.flatMap((one) =>
    one.do === "remove" && !outcome.changes.some((change) => change.mod === one.mod) ? [one.mod] : [],
  );
  const hanging = chosenAskers(staying, lines);
  return (
    <Dialog open onClose={editing.drop} maxWidth="sm" fullWidth aria-labelledby="rehearsal-title">
      <DialogTitle id="rehearsal-title">{outcome.sentence}?</DialogTitle>
      <DialogContent>
        {staying.length > 0 ? (
          <p style={{ marginTop: 0 }}>
            It would stay in the pack as brought in: {hanging.map((one) => one.name).join(", ") || "something"} needs
            it.
          </p>
        ) : (
          <p style={{ marginTop: 0 }}>
            That does more than you asked: it <strong>{effects(outcome)}</strong>.
          </p>
        )}
        <ChangeList changes={outcome.changes} />
        {outcome.left_out.map((one) => (
          <Box key={one.mod} sx={{ mb: 1 }}>
            <strong>{one.name}</strong> cannot come in. {one.why}
          </Box>
        ))}
        {outcome.unsettled.map((one) => (
          <Box key={one.mod} sx={{ mb: 1 }}>
            <strong>{one.name}</strong> is left without a build. {one.why}
            <WaysOut ways={one.ways} pick={(edit) => editing.edit(...edits, edit)} />
          </Box>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={editing.drop}>Leave it as it is</Button>
        {hanging.length > 0 && (
          <Button
            variant="outlined"
            color="error"
            onClick={() => editing.edit(...hanging.map((one) => ({ do: "remove" as const, mod: one.mod })), ...edits)}
          >
            Remove {hanging.length === 1 ? hanging[0].name : `those ${hanging.length}`} as well
          </Button>
        )}
        <Button variant="contained" autoFocus onClick={editing.keep}>
          Do it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** The chosen lines from which needs lead to any of these mods. */
function chosenAskers(mods: string[], lines: Line[]): Line[] {
  const byMod = new Map(lines.map((one) => [one.mod, one]));
  const seen = new Set(mods);
  const waiting = [...mods];
  for (const mod of waiting) {
    for (const asker of byMod.get(mod)?.needed_by ?? []) {
      if (!seen.has(asker)) {
        seen.add(asker);
        waiting.push(asker);
      }
    }
  }
  return lines.filter((one) => seen.has(one.mod) && one.group === "chosen" && !mods.includes(one.mod));
}
