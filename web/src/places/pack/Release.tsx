// One release: what it changed, its notes, its fingerprint.
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useParams } from "react-router";
import type { Shape } from "../../api/client";
import { usePack, useRelease } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, Remark } from "../../parts/notices";
import { day, many } from "../../parts/words";
import { TriedRelease } from "./bench/Tried";
import { ReleaseLog } from "./ReleaseLog";
import { Sealed } from "./Seal";
import { TakeAlong } from "./TakeAlong";

export default function Release() {
  const { packId = "", number = "" } = useParams();
  const release = useRelease(packId, number);
  const pack = usePack(packId).data;
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={release}>
        {(one) => (
          <>
            <Typography variant="h1">Release {one.number}</Typography>
            <Typography variant="body2" sx={{ color: "text.secondary", mb: 2 }}>
              {one.channel} · {day(one.published_at)} by {one.published_by} · {one.base} · {many(one.builds, "mod")} ·
              fingerprint <code>{one.fingerprint}</code>
            </Typography>
            {pack && <Sealed key={one.let_in.join()} pack={pack} one={one} />}
            <Box sx={{ minHeight: 24, mb: 1 }}>
              {!one.hidden && <TriedRelease packId={packId} number={one.number} />}
            </Box>
            {one.notes && !one.announcement && (
              <Typography sx={{ whiteSpace: "pre-wrap", mb: 2 }}>{one.notes}</Typography>
            )}
            {one.despite.length > 0 && (
              <Box sx={{ mb: 2 }}>
                <Remark tone="warning" live={false}>
                  <strong>Published although</strong>
                  <ul style={{ margin: "4px 0", paddingLeft: 18 }}>
                    {one.despite.map((each) => (
                      <li key={each.what}>{each.what}</li>
                    ))}
                  </ul>
                  Because {[...new Set(one.despite.map((each) => each.because))].join("; ")}
                </Remark>
              </Box>
            )}
            {one.announcement && <Announcement one={one} />}
            {!one.hidden && <ReleaseLog packId={packId} number={one.number} before={one.since} />}
            {!one.hidden && <TakeAlong packId={packId} number={one.number} />}
          </>
        )}
      </Loaded>
    </Box>
  );
}

/** As it was published: to be passed on wherever the crew talks. */
function Announcement({ one }: { one: Shape["ReleaseOut"] }) {
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, mb: 3 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Announcement
        </Typography>
        <Copy text={one.announcement} name="Copy as text" />
        <Copy text={one.announcement_markdown} name="Copy as Markdown" />
      </Box>
      <Box sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere", fontSize: "0.92rem" }}>
        {one.announcement.trim()}
      </Box>
    </Paper>
  );
}
