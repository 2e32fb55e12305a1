// A part of the installation's page, with its title.
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

export function Section({ title, aside, children }: { title: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, minWidth: 0 }}>
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "baseline", gap: 1, mb: 1 }}>
        <Typography variant="h2">{title}</Typography>
        {aside && <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>{aside}</Box>}
      </Box>
      {children}
    </Paper>
  );
}

/** Paths below a heading, folded away when there are many. */
export function Paths({
  title,
  note,
  paths,
  count,
  plain,
}: {
  title: string;
  note?: string;
  paths: string[];
  count?: number;
  /** Sentences rather than paths. */
  plain?: boolean;
}) {
  const all = count ?? paths.length;
  if (!all) return null;
  return (
    <Box component="details" open={paths.length <= 4} sx={{ fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
      <summary>
        <strong>{title}</strong> ({all}){note && <span> · {note}</span>}
      </summary>
      <Box sx={{ fontSize: "0.8rem", pl: 2, overflowWrap: "anywhere" }}>
        {paths.map((path) => (
          <Box key={path} component={plain ? "span" : "code"} sx={{ display: "block" }}>
            {path}
          </Box>
        ))}
        {all > paths.length && <div>and {all - paths.length} more</div>}
      </Box>
    </Box>
  );
}
