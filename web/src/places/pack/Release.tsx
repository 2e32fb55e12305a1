// One release: what it changed, its notes, its fingerprint.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useParams } from "react-router";
import { useRelease } from "../../api/queries";
import { ChangeList } from "../../parts/ChangeList";
import { Loaded, Remark } from "../../parts/notices";
import { day, many } from "../../parts/words";
import { TakeAlong } from "./TakeAlong";

export default function Release() {
  const { packId = "", number = "" } = useParams();
  const release = useRelease(packId, number);
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
            {one.notes && <Typography sx={{ whiteSpace: "pre-wrap", mb: 2 }}>{one.notes}</Typography>}
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
            <ChangeList changes={one.changes} />
            <TakeAlong packId={packId} number={one.number} />
          </>
        )}
      </Loaded>
    </Box>
  );
}
