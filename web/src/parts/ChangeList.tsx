// A change log: added, updated, removed, each with from and to.
import Box from "@mui/material/Box";
import type { Shape } from "../api/client";
import { mono } from "../theme";

type Change = Shape["ChangeOut"];

const GROUPS = [
  { what: "added", sign: "+", title: "Added" },
  { what: "updated", sign: "↑", title: "Updated" },
  { what: "taken back", sign: "↓", title: "Taken back" },
  { what: "removed", sign: "−", title: "Removed" },
  { what: "set", sign: "=", title: "Settings and steps" },
];

/** `logs`: by mod, what its author says of the builds in between. */
export function ChangeList({ changes, logs = {} }: { changes: Change[]; logs?: Record<string, Shape["BuildLog"][]> }) {
  return (
    <Box>
      {GROUPS.map(({ what, sign, title }) => {
        const rows = changes.filter((one) => one.what === what);
        if (!rows.length) return null;
        return (
          <Box key={what} component="section" sx={{ mb: 1.5 }}>
            <Box component="h3" sx={{ fontSize: "0.85rem", m: 0, mb: 0.5, color: "text.secondary" }}>
              {title} ({rows.length})
            </Box>
            {rows.map((one) => (
              <Box key={one.mod || one.name}>
                <Box sx={{ display: "flex", gap: 1, py: 0.25, fontSize: "0.9rem", alignItems: "baseline" }}>
                  <Box component="span" aria-hidden sx={{ width: 14, fontFamily: mono, color: "primary.main" }}>
                    {sign}
                  </Box>
                  <span>{one.name}</span>
                  <Box component="span" sx={{ fontFamily: mono, fontSize: "0.8rem", color: "text.secondary" }}>
                    {[one.before, one.after].filter(Boolean).join(" → ")}
                  </Box>
                  {!one.chosen && (
                    <Box component="span" sx={{ fontSize: "0.8rem", color: "text.secondary" }}>
                      brought in
                    </Box>
                  )}
                </Box>
                {one.mod && logs[one.mod]?.length > 0 && <Logs logs={logs[one.mod]} />}
              </Box>
            ))}
          </Box>
        );
      })}
    </Box>
  );
}

function Logs({ logs }: { logs: Shape["BuildLog"][] }) {
  return (
    <Box component="details" sx={{ pl: 2.75, pb: 0.5, fontSize: "0.88rem", "& summary": { cursor: "pointer" } }}>
      <summary>What its author says</summary>
      {logs.map((one) => (
        <Box key={one.version} sx={{ my: 0.5 }}>
          <strong>{one.version}</strong>
          <Box sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{one.text}</Box>
        </Box>
      ))}
    </Box>
  );
}
