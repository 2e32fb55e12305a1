// One difference, side by side: what the release has, and what lies there.
import Box from "@mui/material/Box";
import type { Shape } from "../../api/client";
import { mono } from "../../theme";

const SHOWN = 6;

export function DifferenceRows({ difference }: { difference: Shape["DifferenceOut"] }) {
  const rows = sides(difference);
  return (
    <Box sx={{ flex: 1, minWidth: 0, mb: 1, fontSize: "0.9rem" }}>
      <strong>{difference.sentence}</strong>{" "}
      {!difference.counts && (
        <Box component="span" sx={{ color: "text.secondary" }}>
          touches only its owner, need not match
        </Box>
      )}
      <Box
        component="table"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: "0.82rem",
          "& th": { textAlign: "left", fontWeight: 400, color: "text.secondary", pr: 2 },
          "& td": { pr: 2, verticalAlign: "top", overflowWrap: "anywhere" },
        }}
      >
        <thead>
          <tr>
            <th scope="col">Where</th>
            <th scope="col">The release</th>
            <th scope="col">Here</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, SHOWN).map(([where, release, here]) => (
            <tr key={where}>
              <Box component="td" sx={{ fontFamily: mono, fontSize: "0.76rem" }}>
                {where}
              </Box>
              <td>{release}</td>
              <Box component="td" sx={{ color: "warning.main" }}>
                {here}
              </Box>
            </tr>
          ))}
        </tbody>
      </Box>
      {rows.length > SHOWN && <Box sx={{ color: "text.secondary" }}>and {rows.length - SHOWN} more files</Box>}
    </Box>
  );
}

function sides(one: Shape["DifferenceOut"]): [string, string, string][] {
  if (one.strayed.length) return one.strayed.map((each) => [`${each.path} · ${each.key}`, each.wanted, each.there]);
  const release = one.what === "extra" ? "nothing" : one.version ? `of ${one.version}` : "as released";
  const here = {
    missing: "missing",
    extra: one.has || "a file of their own",
    altered: one.has ? `of ${one.has}` : "altered",
  };
  return one.paths.map((path) => [path, release, here[one.what as keyof typeof here] ?? one.what]);
}
