// Two installations beside each other: what one has and the other has not.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import type { Shape } from "../../api/client";
import { useChangeLog } from "../../api/outside";
import { ChangeList } from "../../parts/ChangeList";
import { StateMark } from "../../parts/marks";
import { many } from "../../parts/words";
import { mono } from "../../theme";
import { who } from "./RollCallTable";

type Row = Shape["CalledRow"];

export function SideBySide(props: { packId: string; one: Row; other: Row; close: () => void }) {
  const { one, other, close } = props;
  const match = one.fingerprint !== "" && one.fingerprint === other.fingerprint;
  const sentences = [...new Set([...said(one), ...said(other)])];
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.5, mb: 1.5 }} aria-label="Two compared">
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "baseline" }}>
        <Typography variant="h2">
          {match ? "These two match" : one.release === other.release ? "These two do not match" : "Different releases"}
        </Typography>
        <Button size="small" onClick={close}>
          Done
        </Button>
      </Box>
      <Box
        component="table"
        sx={{ width: "100%", fontSize: "0.9rem", "& th": { textAlign: "left" }, "& td, & th": { py: 0.25, pr: 2 } }}
      >
        <thead>
          <tr>
            <th scope="col">{""}</th>
            <th scope="col">{who(one)}</th>
            <th scope="col">{who(other)}</th>
          </tr>
        </thead>
        <tbody>
          <Line
            name="State"
            cells={[one, other].map((row) => <StateMark key={row.installation} {...row.standing} />)}
          />
          <Line name="Release" cells={[one, other].map((row) => row.release || "none")} />
          <Line
            name="Fingerprint"
            cells={[one, other].map((row) => (
              <Box key={row.installation} component="span" sx={{ fontFamily: mono, fontSize: "1.1rem" }}>
                {row.fingerprint || "none"}
              </Box>
            ))}
          />
          {sentences.map((text) => (
            <Line
              key={text}
              name={text}
              cells={[one, other].map((row) => (said(row).includes(text) ? "◆ here" : "as released"))}
            />
          ))}
        </tbody>
      </Box>
      {one.release && other.release && one.release !== other.release && (
        <Between packId={props.packId} one={one.release} other={other.release} />
      )}
    </Paper>
  );
}

/** What the releases of the two do not have in common. */
function Between({ packId, one, other }: { packId: string; one: string; other: string }) {
  const changes = useChangeLog(packId, one, other).data?.rows;
  return (
    <Box component="details" sx={{ mt: 1, minHeight: 24, fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
      <summary>
        From {one} to {other}
        {changes && `: ${many(changes.length, "change")}`}
      </summary>
      {changes && (
        <Box sx={{ maxHeight: 300, overflowY: "auto" }} tabIndex={0} role="region" aria-label="Changes between the two">
          <ChangeList changes={changes} />
        </Box>
      )}
    </Box>
  );
}

const said = (row: Row) => row.standing.differences.map((each) => each.sentence);

function Line({ name, cells }: { name: string; cells: React.ReactNode[] }) {
  return (
    <tr>
      <Box component="th" scope="row" sx={{ fontWeight: 400, color: "text.secondary" }}>
        {name}
      </Box>
      <td>{cells[0]}</td>
      <td>{cells[1]}</td>
    </tr>
  );
}
