// Start a pack: name, emblem, group, game, base, notes.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Shape, told } from "../api/client";
import { sendEdits, useChange, useGames, useMe, usePacks } from "../api/queries";
import { Emblem, emblemNames } from "../parts/marks";
import { Loaded, RefusalRemark } from "../parts/notices";
import { type BaseChoice, BaseFields, firstBase, Pick } from "./BaseFields";

const NEW_CREW = "new";

type Along = Record<"holds" | "notes" | "tweaks" | "steps", boolean>;

/** What goes along from another pack; of a release only what releases tell. */
const ALONG: { name: keyof Along; label: string }[] = [
  { name: "holds", label: "Holds with their reasons" },
  { name: "notes", label: "Notes, tags and advice" },
  { name: "tweaks", label: "Settings that it sets" },
  { name: "steps", label: "Steps by hand" },
];

export default function NewPack() {
  const games = useGames();
  const me = useMe();
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Start a pack
      </Typography>
      <Loaded query={me}>
        {(who) => <Loaded query={games}>{(list) => <Form games={list} crews={who.crews} />}</Loaded>}
      </Loaded>
    </Box>
  );
}

function Form({ games, crews }: { games: Shape["GameOut"][]; crews: Shape["CrewOut"][] }) {
  const curated = crews.filter((one) => one.role !== "member");
  const [game, setGame] = useState(games[0]);
  const [base, setBase] = useState<BaseChoice>(firstBase(game));
  const [crew, setCrew] = useState(curated[0]?.id ?? NEW_CREW);
  const [crewName, setCrewName] = useState("");
  const [about, setAbout] = useState({ name: "", emblem: "anchor", group: "", notes: "" });
  const [from, setFrom] = useState("");
  const [begun, setBegun] = useState<Shape["PackOut"] | null>(null);
  const [along, setAlong] = useState<Along>({ holds: true, notes: true, tweaks: true, steps: true });
  const others = (usePacks().data ?? []).filter((one) => one.base.game === game.id);
  const navigate = useNavigate();
  const start = useChange(
    async () => {
      const id = crew === NEW_CREW ? (await told(api.POST("/api/crews", { body: { name: crewName } }))).id : crew;
      setCrew(id);
      // A second try, after taking over lines failed, goes on with the pack that the first one started.
      const made =
        begun ?? (await told(api.POST("/api/packs", { body: { crew: id, game: game.id, ...about, ...base } })));
      setBegun(made);
      const [pack, release] = from.split(" ");
      if (pack) await sendEdits(made.id, 0, [{ do: "copy lines", pack, release: release ?? "", ...along }]);
      return made;
    },
    ["packs"],
    ["me"],
  );
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate(undefined, { onSuccess: (pack) => navigate(`/packs/${pack.id}/assemble`) });
      }}
    >
      <TextField
        label="Name"
        required
        autoFocus
        value={about.name}
        error={!!start.error?.field("name")}
        helperText={start.error?.field("name") || "How the crew will call it."}
        slotProps={{ htmlInput: { maxLength: 60 } }}
        onChange={(event) => setAbout({ ...about, name: event.target.value })}
      />
      <Box>
        <Typography variant="body2" sx={{ mb: 0.5 }} id="emblem-label">
          Emblem
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={about.emblem}
          aria-labelledby="emblem-label"
          sx={{ flexWrap: "wrap" }}
          onChange={(_, emblem) => emblem && setAbout({ ...about, emblem })}
        >
          {emblemNames.map((one) => (
            <ToggleButton key={one} value={one} aria-label={one}>
              <Emblem name={one} />
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Box>
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" } }}>
        <Pick
          label="Crew"
          value={crew}
          options={[
            ...curated.map((one) => ({ value: one.id, name: one.name })),
            ...(crews.some((one) => one.id === crew) || crew === NEW_CREW ? [] : [{ value: crew, name: crewName }]),
            { value: NEW_CREW, name: "A new crew" },
          ]}
          onChange={setCrew}
        />
        {crew === NEW_CREW ? (
          <TextField
            label="Name of the crew"
            required
            value={crewName}
            onChange={(event) => setCrewName(event.target.value)}
          />
        ) : (
          <TextField
            label="Group"
            placeholder="Thursday nights"
            value={about.group}
            onChange={(event) => setAbout({ ...about, group: event.target.value })}
          />
        )}
      </Box>
      <Box
        component="fieldset"
        sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 2, display: "grid", gap: 2, m: 0 }}
      >
        <legend>Base: it can be changed at any time</legend>
        <Pick
          label="Game"
          value={game.id}
          options={games.map((one) => ({ value: one.id, name: one.name }))}
          onChange={(id) => {
            const next = games.find((one) => one.id === id) ?? game;
            setGame(next);
            setFrom("");
            setBase(firstBase(next));
          }}
        />
        <Pick
          label="Start from"
          value={from}
          options={[
            { value: "", name: "nothing" },
            ...others.flatMap((one) => [
              { value: one.id, name: `${one.name}, as its draft is now` },
              ...(one.newest_release
                ? [{ value: `${one.id} ${one.newest_release}`, name: `${one.name}, release ${one.newest_release}` }]
                : []),
            ]),
          ]}
          onChange={(value) => {
            setFrom(value);
            const other = others.find((one) => value.startsWith(one.id))?.base;
            if (other) {
              setBase({
                game_version: other.game_version,
                loader: other.loader,
                loader_version: other.loader_version,
              });
            }
          }}
        />
        {from && (
          <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap" }}>
            <FormControlLabel
              control={<Checkbox size="small" checked disabled />}
              label="Its lines, in the builds that they have there"
            />
            {ALONG.filter(({ name }) => !from.includes(" ") || name === "tweaks" || name === "steps").map(
              ({ name, label }) => (
                <FormControlLabel
                  key={name}
                  control={
                    <Checkbox
                      size="small"
                      checked={along[name]}
                      onChange={(_, on) => setAlong({ ...along, [name]: on })}
                    />
                  }
                  label={label}
                />
              ),
            )}
          </Box>
        )}
        <BaseFields key={game.id} game={game} value={base} onChange={setBase} />
      </Box>
      <TextField
        label="Notes"
        multiline
        minRows={2}
        value={about.notes}
        onChange={(event) => setAbout({ ...about, notes: event.target.value })}
      />
      <RefusalRemark error={start.error} />
      {begun && start.error && (
        <Box>
          {begun.name} was started, and is empty. <Link to={`/packs/${begun.id}/assemble`}>Open it as it is</Link>, or
          choose again what to start from.
        </Box>
      )}
      <Box>
        <Button type="submit" variant="contained" disabled={start.isPending}>
          Start the pack
        </Button>
      </Box>
    </Box>
  );
}
