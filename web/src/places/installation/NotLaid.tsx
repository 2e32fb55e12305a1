// What of a collection is not laid down, with why of each.
import Box from "@mui/material/Box";
import type { Shape } from "../../api/client";
import { many } from "../../parts/words";

/** Folded away where it is much. */
export function NotLaid({ rows }: { rows: Shape["NotLaidOut"][] }) {
  if (!rows.length) return null;
  return (
    <Box
      component="details"
      open={rows.length <= 3}
      sx={{ fontSize: "0.84rem", "& summary": { cursor: "pointer", lineHeight: "28px" } }}
    >
      <summary>Without {many(rows.length, "mod")}</summary>
      <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
        {rows.map((row) => (
          <li key={row.name}>
            <strong>{row.name}</strong> {row.version}: {row.because}
          </li>
        ))}
      </Box>
    </Box>
  );
}
