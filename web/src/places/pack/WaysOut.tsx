// Changes that would free a line, each of which the resolver has tried: a button carries one out.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Shape } from "../../api/client";
import type { Edit } from "../../api/edits";

export function WaysOut({ ways, pick }: { ways: Shape["WayOutOut"][]; pick: (edit: Edit) => void }) {
  if (!ways.length) return null;
  return (
    <Box component="ul" aria-label="Ways out" sx={{ listStyle: "none", m: 0, mt: 0.5, p: 0 }}>
      {ways.map((one) => (
        <Box component="li" key={one.text} sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.25 }}>
          <span>{one.text}</span>
          <Button
            size="small"
            variant="outlined"
            sx={{ py: 0 }}
            aria-label={`Do so: ${one.text}`}
            onClick={() => pick(one.edit)}
          >
            Do so
          </Button>
        </Box>
      ))}
    </Box>
  );
}
