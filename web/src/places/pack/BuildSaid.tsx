// What is said of a build wherever builds are listed: what changed, what it needs and does not go with, what rules it out.
import Box from "@mui/material/Box";
import type { Shape } from "../../api/client";
import { related } from "../../parts/meanings";

export function BuildSaid({ build, names }: { build: Shape["BuildOut"]; names: Record<string, string> }) {
  const needs = related(build.needs, names);
  const breaks = related(build.breaks, names);
  return (
    <>
      {build.change_log && <Box>{build.change_log}</Box>}
      {needs.length > 0 && <Box sx={{ color: "text.secondary" }}>needs {needs.join("; ")}</Box>}
      {breaks.length > 0 && <Box sx={{ color: "text.secondary" }}>does not go with {breaks.join("; ")}</Box>}
      {build.ruled_out && (
        <Box sx={{ color: "text.secondary" }}>
          <Box component="span" sx={{ color: "error.main" }}>
            ▬
          </Box>{" "}
          not now: {build.ruled_out}
        </Box>
      )}
    </>
  );
}
