// What can be done about a fault, in the draft as it is now: each a button.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Shape } from "../../../api/client";
import type { Edit } from "../../../api/edits";
import type { Editing } from "../useEditing";

export function Ways({ ways, editing }: { ways: Shape["WayOut"][]; editing: Editing }) {
  if (!ways.length) return null;
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mt: 0.75 }}>
      {ways.map((way) => (
        <Button
          key={way.text}
          size="small"
          variant="outlined"
          sx={{ py: 0 }}
          disabled={editing.pending}
          onClick={() => editing.edit(...(way.edits as Edit[]))}
        >
          {way.text}
        </Button>
      ))}
    </Box>
  );
}
