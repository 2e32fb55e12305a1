// Where one is signed in, and ending that elsewhere.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { mine } from "../../api/account";
import { Loaded } from "../../parts/notices";
import { when } from "../../parts/words";
import { Asked } from "./Asked";
import { useAsking, useMine } from "./useAsking";

interface Session {
  id: number;
  ip: string;
  user_agent: string;
  created_at: number;
  is_current: boolean;
}

export function Sessions() {
  const asking = useAsking();
  const sessions = useMine<Session[]>("auth/sessions");
  return (
    <Loaded query={sessions} rows={1}>
      {(rows) => (
        <>
          {rows.map((one) => (
            <Box key={one.id} sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.5, flexWrap: "wrap" }}>
              <Box sx={{ flex: 1, minWidth: 220 }}>
                {browser(one.user_agent)} from {one.ip}
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  since {when(new Date(one.created_at * 1000).toISOString())}
                  {one.is_current && ", this one"}
                </Typography>
              </Box>
              {!one.is_current && (
                <Button
                  size="small"
                  onClick={() => asking.run(() => mine("DELETE", "auth/sessions", { sessions: [one.id] }))}
                >
                  End it
                </Button>
              )}
            </Box>
          ))}
          <Asked asking={asking} />
          {rows.length > 1 && (
            <Button
              variant="outlined"
              size="small"
              sx={{ mt: 1 }}
              onClick={() =>
                asking.run(() =>
                  mine("DELETE", "auth/sessions", {
                    sessions: rows.filter((one) => !one.is_current).map((one) => one.id),
                  }),
                )
              }
            >
              End all others
            </Button>
          )}
        </>
      )}
    </Loaded>
  );
}

/** The most telling of the names that a browser gives itself, and the system. */
function browser(agent: string): string {
  const system = /Windows|Macintosh|Android|iPhone|iPad|Linux/.exec(agent)?.[0] ?? "";
  const names = (agent.match(/\w+(?=\/[\d.]+)/g) ?? []).filter((one) => !COMMON.has(one));
  return [names.at(-1) ?? "A browser", system && `on ${system.replace("Macintosh", "macOS")}`]
    .filter(Boolean)
    .join(" ");
}

/** What nearly all of them call themselves. */
const COMMON = new Set(["Mozilla", "AppleWebKit", "Gecko", "Safari", "Version", "Mobile"]);
