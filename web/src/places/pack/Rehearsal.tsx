// What an edit would do beyond what was asked, before it is kept. For a mod that others need: they can go with it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { Shape } from "../../api/client";
import type { Edit } from "../../api/edits";
import { ChangeList } from "../../parts/ChangeList";
import type { Editing } from "./useEditing";
import { WaysOut } from "./WaysOut";

type Staying = Shape["StayingOut"];

export function RehearsalDialog({ editing }: { editing: Editing }) {
  const { rehearsal } = editing;
  if (!rehearsal) return null;
  const { outcome, edits } = rehearsal;
  const going = goingAsWell(outcome.staying, edits);
  return (
    <Dialog open onClose={editing.drop} maxWidth="sm" fullWidth aria-labelledby="rehearsal-title">
      <DialogTitle id="rehearsal-title">{outcome.sentence}?</DialogTitle>
      <DialogContent>
        {outcome.staying.map((one) => (
          <p key={one.mod} style={{ marginTop: 0 }}>
            <strong>{one.name}</strong> would stay in the pack: {named(one)}.
          </p>
        ))}
        {outcome.other_builds.map((one) => (
          <p key={one.mod} style={{ marginTop: 0 }}>
            <strong>
              {one.name} {one.version}
            </strong>{" "}
            comes, not {one.wanted}: {one.why}.
          </p>
        ))}
        {outcome.effects && <p style={{ marginTop: 0 }}>What it does in all: {outcome.effects}.</p>}
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
        {going.edits.length > 0 && (
          <Button variant="outlined" color="error" onClick={() => editing.edit(...going.edits, ...edits)}>
            {going.verb} {going.edits.length === 1 ? going.name : `those ${going.edits.length}`} as well
          </Button>
        )}
        <Button variant="contained" autoFocus onClick={editing.keep}>
          Do it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function named(one: Staying): string {
  const names = one.for_lines.map((each) => each.name);
  if (!names.length) return "something else that is in it needs it";
  return `${names.slice(0, 4).join(", ")}${names.length > 4 ? ` and ${names.length - 4} more` : ""} ${
    names.length === 1 ? "needs" : "need"
  } it`;
}

/** The same done to the lines that keep a mod in. */
function goingAsWell(staying: Staying[], edits: Edit[]) {
  const asked = new Set(edits.flatMap((one) => ("mod" in one ? [one.mod] : [])));
  const lines = new Map(staying.flatMap((one) => one.for_lines.map((each) => [each.mod, each.name] as const)));
  const others = [...lines.keys()].filter((mod) => !asked.has(mod));
  const off = edits.some((one) => one.do === "switch");
  return {
    verb: off ? "Switch off" : "Remove",
    name: lines.get(others[0]) ?? "",
    edits: others.map((mod): Edit => (off ? { do: "switch", mod, on: false } : { do: "remove", mod })),
  };
}
