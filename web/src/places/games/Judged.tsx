// What the site says of a profile: what is wrong, by line; what is odd; what keeping it would change.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Shape } from "../../api/client";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many } from "../../parts/words";
import type { Profile } from "./useProfile";

export function Judged({ profile, isNew }: { profile: Profile; isNew: boolean }) {
  const read = profile.read;
  if (!read) return <RefusalRemark error={profile.error} />;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }} aria-live="polite">
      <RefusalRemark error={profile.error} />
      {read.faults.length > 0 && (
        <Remark tone="error" live={false}>
          <strong>{many(read.faults.length, "thing is wrong", "things are wrong")}</strong>
          <Said rows={read.faults} />
        </Remark>
      )}
      {read.stops.length > 0 && (
        <Remark tone="error" live={false}>
          <strong>It cannot be kept so</strong>
          <ul style={{ margin: "4px 0 0", paddingLeft: 18 }}>
            {read.stops.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </Remark>
      )}
      {!read.faults.length && !read.stops.length && (
        <Remark tone="primary" live={false}>
          {isNew ? "It can be used as it is." : read.changes.length ? "It can be kept." : "Nothing is changed."}
        </Remark>
      )}
      {read.remarks.length > 0 && (
        <Remark tone="info" live={false}>
          <strong>As advice</strong>
          <Said rows={read.remarks} />
        </Remark>
      )}
      {!isNew && read.changes.length > 0 && (
        <Box>
          <Typography variant="h3">What would change</Typography>
          <Changes changes={read.changes} />
        </Box>
      )}
    </Box>
  );
}

function Said({ rows }: { rows: Shape["FaultOut"][] }) {
  return (
    <Box component="ul" sx={{ m: 0, mt: 0.5, pl: 2.25 }}>
      {rows.map((one) => (
        <li key={`${one.line} ${one.field} ${one.sentence}`}>
          {one.line > 0 && <strong>line {one.line}: </strong>}
          {one.field && <code>{one.field}</code>} {one.sentence}
        </li>
      ))}
    </Box>
  );
}

export function Changes({ changes }: { changes: Shape["ProfileChangeOut"][] }) {
  return (
    <Box component="ul" sx={{ m: 0, pl: 2.25, fontSize: "0.875rem" }}>
      {changes.map((one) => (
        <li key={`${one.what} ${one.subject}`}>
          {one.subject} <strong>{one.what}</strong>
          {one.what === "changed" ? (
            <>
              : {one.before || "nothing"} → {one.after || "nothing"}
            </>
          ) : (
            (one.after || one.before) && `: ${one.after || one.before}`
          )}
        </li>
      ))}
    </Box>
  );
}
