// Crew: the next departure, and the roll call: a person per row, what keeps them from being in step, what to do.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Shape } from "../../api/client";
import { usePack, useRollCall } from "../../api/queries";
import { stateColour, stateShape } from "../../parts/marks";
import { Empty, Loaded } from "../../parts/notices";
import { many } from "../../parts/words";
import { CallsForHelp } from "../help/CallsForHelp";
import { Departures } from "./Departures";
import { ListingDrop } from "./ListingDrop";
import { Playthroughs } from "./Playthroughs";
import { RollCallTable, who } from "./RollCallTable";
import { SideBySide } from "./SideBySide";

type Row = Shape["CalledRow"];

export default function Crew() {
  const { packId = "" } = useParams();
  const called = useRollCall(packId);
  const pack = usePack(packId).data;
  return (
    <Box sx={{ maxWidth: 1240, mx: "auto", p: { xs: 1.5, sm: 3 }, pt: { xs: 1.5, sm: 2 } }}>
      {pack && <Departures pack={pack} />}
      {pack && <Playthroughs pack={pack} />}
      {pack && <CallsForHelp packId={packId} />}
      <Loaded query={called}>{(data) => <Called data={data} packId={packId} />}</Loaded>
      {pack && (
        <Typography variant="body2" sx={{ mt: 1 }}>
          <Link to={`/crews/${pack.crew_id}`}>People and roles of {pack.crew}</Link>
        </Typography>
      )}
    </Box>
  );
}

function Called({ data, packId }: { data: Shape["RollCall"]; packId: string }) {
  const [state, setState] = useState("");
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState<string[]>([]);
  const rows = [...data.rows].sort((a, b) => rank(a) - rank(b));
  const fits = (row: Row) =>
    (!state || row.standing.state === state) && who(row).toLowerCase().includes(text.trim().toLowerCase());
  const pair = rows.filter((row) => chosen.includes(row.installation));
  return (
    <>
      <Head data={data} />
      {data.rows.length > 0 && (
        <Filter rows={data.rows} state={state} setState={setState} text={text} setText={setText} />
      )}
      {pair.length === 2 && <SideBySide packId={packId} one={pair[0]} other={pair[1]} close={() => setChosen([])} />}
      {rows.length ? (
        <RollCallTable rows={rows.filter(fits)} chosen={chosen} setChosen={setChosen} />
      ) : (
        <Empty title="Nobody has installed this pack yet">
          {data.current
            ? "Make a join code under Publish and hand it out."
            : "Publish a release first; then hand out a join code."}
        </Empty>
      )}
      {data.without.length > 0 && (
        <Typography variant="body2" sx={{ mt: 2, color: "text.secondary" }}>
          In the crew without an installation of this pack: {data.without.join(", ")}.
        </Typography>
      )}
      {data.current && <ListingDrop packId={packId} rows={rows} />}
    </>
  );
}

/** Whom to help first stands first; who is ready, and then the server, at the end. */
const FIRST = ["cannot run", "differs", "behind", "not heard from", "in step"];
const rank = (row: Row) => (row.side === "server" ? FIRST.length : FIRST.indexOf(row.standing.state));

function Head({ data }: { data: Shape["RollCall"] }) {
  const ready = data.rows.filter((row) => row.standing.state === "in step").length;
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", flexWrap: "wrap", gap: 2, mb: 1 }}>
      <Box>
        <Typography variant="h1">Roll call</Typography>
        {data.rows.length > 0 && (
          <Typography>
            {data.current ? (
              <>
                {ready} of {many(data.rows.length, "installation")} in step with release <code>{data.current}</code>
              </>
            ) : (
              "No release is open, so there is nothing to be in step with until the next one."
            )}
          </Typography>
        )}
      </Box>
      {data.fingerprint && (
        <Box sx={{ textAlign: { sm: "right" } }}>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Fingerprint of what must match
          </Typography>
          <Box component="code" sx={{ fontSize: "1.6rem", letterSpacing: "0.06em" }}>
            {data.fingerprint}
          </Box>
        </Box>
      )}
    </Box>
  );
}

function Filter(props: {
  rows: Row[];
  state: string;
  setState: (state: string) => void;
  text: string;
  setText: (text: string) => void;
}) {
  const states = [...new Set(props.rows.map((row) => row.standing.state))];
  return (
    <Box sx={{ display: "flex", gap: 0.5, alignItems: "center", flexWrap: "wrap", mb: 1 }}>
      <Button size="small" aria-pressed={!props.state} onClick={() => props.setState("")} sx={pressed(!props.state)}>
        All {props.rows.length}
      </Button>
      {states.map((state) => (
        <Button
          key={state}
          size="small"
          aria-pressed={props.state === state}
          onClick={() => props.setState(props.state === state ? "" : state)}
          sx={{ color: stateColour(state), ...pressed(props.state === state) }}
        >
          <span aria-hidden>{stateShape(state)}&nbsp;</span>
          {state} {props.rows.filter((row) => row.standing.state === state).length}
        </Button>
      ))}
      <TextField
        size="small"
        placeholder="Name"
        value={props.text}
        onChange={(event) => props.setText(event.target.value)}
        slotProps={{ htmlInput: { "aria-label": "Find by name" } }}
        sx={{ ml: "auto", width: 150, "& input": { py: 0.6 } }}
      />
    </Box>
  );
}

const pressed = (on: boolean) =>
  on ? { textDecoration: "underline", textUnderlineOffset: "5px", fontWeight: 700 } : {};
