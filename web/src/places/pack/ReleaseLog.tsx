// What a release changed since any other: in its rows, what mods' own authors say, what happens to worlds. The address
// says which two, so that it can be passed on.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import { useChangeLog } from "../../api/outside";
import { useReleases } from "../../api/queries";
import { ChangeList } from "../../parts/ChangeList";
import { Loaded } from "../../parts/notices";
import { Pick } from "../../parts/Pick";

/** `before`: the release that it was told against when it was published; empty for the first. */
export function ReleaseLog({ packId, number, before }: { packId: string; number: string; before: string }) {
  const [search, setSearch] = useSearchParams();
  const since = search.get("since") ?? before;
  const releases = useReleases(packId).data ?? [];
  const log = useChangeLog(packId, since, number);
  return (
    <Box component="section">
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1.5, flexWrap: "wrap" }}>
        <Typography variant="h2">What changed</Typography>
        <Box sx={{ width: 200 }}>
          <Pick
            label="Since"
            value={since}
            options={[
              { value: "", name: "nothing was there" },
              ...releases
                .filter((one) => one.number !== number)
                .map((one) => ({ value: one.number, name: `release ${one.number}` })),
            ]}
            onChange={(to) => setSearch(to === before ? {} : { since: to }, { replace: true })}
          />
        </Box>
      </Box>
      <Loaded query={log} rows={5}>
        {(told) => (
          <>
            {told.base_before && told.base_before !== told.base && (
              <Typography variant="body2" sx={{ mb: 1 }}>
                The base moves from {told.base_before} to {told.base}.
              </Typography>
            )}
            {told.worlds.length > 0 && (
              <Box sx={{ mb: 1.5, fontSize: "0.9rem" }}>
                <strong>What happens to worlds</strong>
                <ul style={{ margin: "2px 0", paddingLeft: 18 }}>
                  {told.worlds.map((one) => (
                    <li key={one}>{one}</li>
                  ))}
                </ul>
              </Box>
            )}
            {told.rows.length === 0 && <Typography variant="body2">Nothing.</Typography>}
            <ChangeList changes={told.rows} logs={Object.fromEntries(told.rows.map((one) => [one.mod, one.logs]))} />
          </>
        )}
      </Loaded>
    </Box>
  );
}
