// A titled part of a page that leads out of the site.
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

export function Section({ title, about, children }: { title: string; about?: string; children: ReactNode }) {
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2 }}>
      <Typography variant="h2">{title}</Typography>
      {about && (
        <Typography variant="body2" sx={{ color: "text.secondary", mb: 1.5 }}>
          {about}
        </Typography>
      )}
      {children}
    </Paper>
  );
}
