// Sources of a crew, or of the whole site: what each is, when it was read, what is wrong; adding one by its address.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange, useGames } from "../../api/queries";
import { Empty, Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { many, when } from "../../parts/words";
import { mono } from "../../theme";

/** `crew`: whose sources; empty for everybody's, which the site's keeper sees to. */
export function SourceList({ crew, may }: { crew: string; may: boolean }) {
  const [adding, setAdding] = useState(false);
  const sources = useQuery({
    queryKey: ["sources", crew],
    queryFn: () =>
      crew
        ? told(api.GET("/api/crews/{crew_id}/sources", { params: { path: { crew_id: crew } } }))
        : told(api.GET("/api/keeper/sources")),
    refetchInterval: 5_000,
  });
  return (
    <>
      <Loaded query={sources} rows={2}>
        {(rows) =>
          rows.length ? (
            rows.map((one) => <Row key={one.id} one={one} />)
          ) : (
            <Empty title="No source of your own">
              A source is a folder of archives that somebody made into a catalogue (<code>convoy source make</code>) and
              put on the web. With its address its mods are in your finder.
            </Empty>
          )
        }
      </Loaded>
      {may &&
        (adding ? (
          <AddSource crew={crew} done={() => setAdding(false)} />
        ) : (
          <Button variant="outlined" size="small" sx={{ mt: 1.5 }} onClick={() => setAdding(true)}>
            Add a source
          </Button>
        ))}
    </>
  );
}

function Row({ one }: { one: Shape["SourceRow"] }) {
  const busy = one.pages_changed > one.pages_done;
  const state =
    one.state === "paused"
      ? "paused"
      : one.trouble.startsWith("Not read")
        ? "not read"
        : busy
          ? `reading, page ${one.pages_done} of ${one.pages_changed}`
          : one.read_at
            ? `read ${when(one.read_at)}`
            : "to be read in a moment";
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 1, display: "flex", gap: 2, flexWrap: "wrap" }}>
      <Box sx={{ flex: 2, minWidth: 240 }}>
        <strong>
          <Link to={`/sources/${one.id}`}>{one.name}</Link>
        </strong>
        <Typography variant="body2" sx={{ color: "text.secondary", overflowWrap: "anywhere" }}>
          {one.address}
        </Typography>
      </Box>
      <Box sx={{ flex: 1, minWidth: 130, fontSize: "0.875rem" }}>
        {one.game_name}
        <br />
        {many(one.mods, "mod")}, {one.pickup}
      </Box>
      <Box sx={{ flex: 1, minWidth: 170, fontSize: "0.875rem" }}>
        {one.trouble && <Box sx={{ color: "warning.main" }}>◆ {one.trouble.split("\n")[0].slice(0, 120)}</Box>}
        {state}
      </Box>
    </Box>
  );
}

type Look = Shape["LookOut"];

function AddSource({ crew, done }: { crew: string; done: () => void }) {
  const [address, setAddress] = useState("");
  const [found, setFound] = useState<Look | null>(null);
  const look = useChange(() =>
    crew
      ? told(api.POST("/api/crews/{crew_id}/sources/look", { params: { path: { crew_id: crew } }, body: { address } }))
      : told(api.POST("/api/keeper/sources/look", { body: { address } })),
  );
  return (
    <Box
      sx={{ border: 1, borderColor: "divider", bgcolor: "background.paper", p: 2, mt: 1.5, display: "grid", gap: 2 }}
    >
      <Box
        component="form"
        sx={{ display: "flex", gap: 1 }}
        onSubmit={(event) => {
          event.preventDefault();
          setFound(null);
          look.mutate(undefined, { onSuccess: setFound });
        }}
      >
        <TextField
          label="Address of the source"
          placeholder="https://mods.example/our-shelf"
          required
          autoFocus
          value={address}
          onChange={(event) => setAddress(event.target.value)}
        />
        <Button
          type="submit"
          variant={found ? "outlined" : "contained"}
          disabled={look.isPending}
          sx={{ flex: "none" }}
        >
          Look
        </Button>
        <Button onClick={done} sx={{ flex: "none" }}>
          Not now
        </Button>
      </Box>
      <RefusalRemark error={look.error} />
      {found && <Confirm key={found.address} crew={crew} found={found} done={done} />}
    </Box>
  );
}

function Confirm({ crew, found, done }: { crew: string; found: Look; done: () => void }) {
  const games = useGames().data ?? [];
  const likely = games.find((one) => one.id === found.game || one.id.startsWith(`${found.game}-`));
  // Until somebody chooses, the game that it says it is for: games may still be on their way.
  const [chosen, setGame] = useState("");
  const game = chosen || (likely?.id ?? games[0]?.id ?? "");
  const [name, setName] = useState(found.name);
  const [follow, setFollow] = useState(found.has_versions);
  const body = {
    address: found.address,
    game,
    name,
    pickup: found.pickup,
    key: found.key,
    follow: follow && found.has_versions,
  };
  const bring = useChange(
    () => told(api.POST("/api/games", { body: { text: found.profile, crew: crew || null } })),
    ["games"],
  );
  const add = useChange(
    () =>
      crew
        ? told(api.POST("/api/crews/{crew_id}/sources", { params: { path: { crew_id: crew } }, body }))
        : told(api.POST("/api/keeper/sources", { body })),
    ["sources"],
    ["games"],
  );
  return (
    <>
      {found.key ? (
        <Remark tone="info">
          It is signed. Compare its key with what whoever keeps it told you:{" "}
          <Box component="strong" sx={{ fontFamily: mono, whiteSpace: "nowrap" }}>
            {found.fingerprint}
          </Box>
          . From now on nothing is read that another key signed.
        </Remark>
      ) : (
        <Remark tone="warning">
          Nobody signs it: whoever controls its address decides what it lists. Files are checked against what it listed.
        </Remark>
      )}
      {!likely && found.profile && (
        <Remark tone="warning" live={false}>
          It is for “{found.game}”, which is not here yet, and brings that game's profile along.{" "}
          <Button
            size="small"
            variant="outlined"
            disabled={bring.isPending}
            onClick={() => bring.mutate(undefined, { onSuccess: (made) => setGame(made.id) })}
          >
            Bring the game, too
          </Button>
          <RefusalRemark error={bring.error} />
        </Remark>
      )}
      <Box sx={{ display: "flex", gap: 1, flexWrap: { xs: "wrap", sm: "nowrap" } }}>
        <TextField label="Name" required value={name} onChange={(event) => setName(event.target.value.slice(0, 60))} />
        <Pick
          label="Game"
          value={game}
          options={games.map((one) => ({ value: one.id, name: one.name }))}
          onChange={setGame}
        />
      </Box>
      {found.has_versions && (
        <FormControlLabel
          control={<Checkbox size="small" checked={follow} onChange={(_, on) => setFollow(on)} />}
          label="The game's versions come from it, too"
        />
      )}
      <RefusalRemark error={add.error} />
      <Box>
        <Button
          variant="contained"
          disabled={add.isPending || !game}
          onClick={() => add.mutate(undefined, { onSuccess: done })}
        >
          Add {name || "it"}
        </Button>
      </Box>
    </>
  );
}
