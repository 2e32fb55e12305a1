// Calls for help with a pack, the open ones first: beside the roll call, and on a member's installation.
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import type { Shape } from "../../api/client";
import { useHelpCalls } from "../../api/queries";
import { many, when } from "../../parts/words";
import { about, CallMark } from "./said";

export function CallsForHelp({ packId }: { packId: string }) {
  const calls = useHelpCalls(packId).data ?? [];
  const open = calls.filter((one) => one.state !== "closed");
  const closed = calls.filter((one) => one.state === "closed");
  if (!calls.length) return null;
  return (
    <Box component="section" aria-label="Calls for help" sx={{ mb: 3 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Calls for help
      </Typography>
      {open.map((one) => (
        <CallLine key={one.id} one={one} />
      ))}
      {closed.length > 0 && (
        <Box component="details" open={!open.length && closed.length < 3} sx={{ mt: 0.5 }}>
          <Box component="summary" sx={{ cursor: "pointer", fontSize: "0.9rem" }}>
            {many(closed.length, "closed call")}
          </Box>
          {closed.map((one) => (
            <CallLine key={one.id} one={one} />
          ))}
        </Box>
      )}
    </Box>
  );
}

/** `narrow`: in a column of a page, each part below the other. */
export function CallLine({ one, narrow = false }: { one: Shape["HelpCallRow"]; narrow?: boolean }) {
  return (
    <Box
      component="article"
      sx={{
        display: "grid",
        gridTemplateColumns: narrow ? "1fr" : { xs: "1fr", sm: "120px 1fr 210px" },
        columnGap: 2,
        py: 0.75,
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <CallMark state={one.state} />
      <Box sx={{ minWidth: 0, overflowWrap: "anywhere" }}>
        <Link component={RouterLink} to={`/calls/${one.id}`} sx={{ fontWeight: 600 }}>
          {about(one)}
        </Link>
        {one.cause && one.words && <Box sx={{ fontSize: "0.9rem" }}>“{one.words}”</Box>}
        {one.was && <Box sx={{ fontSize: "0.9rem" }}>It was: {one.was}</Box>}
      </Box>
      <Box sx={{ fontSize: "0.85rem", color: "text.secondary", textAlign: narrow ? "left" : { sm: "right" } }}>
        {one.own ? "you" : one.member}, {when(one.sent_at ?? one.at)}
        {one.answers > 0 && ` · ${many(one.answers, "answer")}`}
      </Box>
    </Box>
  );
}
