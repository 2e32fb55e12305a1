// A plain dense table, as the keeper's place has them.
import Box from "@mui/material/Box";
import type { ReactNode } from "react";

export function Table({ heads, rows, label }: { heads: string[]; rows: [string, ReactNode[]][]; label: string }) {
  return (
    <Box
      tabIndex={0}
      role="region"
      aria-label={label}
      sx={{
        overflowX: "auto",
        "& table": { width: "100%", borderCollapse: "collapse", fontSize: "0.875rem" },
        "& th": { textAlign: "left", fontWeight: 600, color: "text.secondary" },
        "& th, & td": { py: 0.6, pr: 2, borderBottom: 1, borderColor: "divider", verticalAlign: "middle" },
      }}
    >
      <table>
        <thead>
          <tr>
            {heads.map((one) => (
              <th key={one} scope="col">
                {one}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([key, cells]) => (
            <tr key={key}>
              {cells.map((cell, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a cell's column is its identity
                <td key={at}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
