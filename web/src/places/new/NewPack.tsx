// Start a pack: name, emblem, group, game, base, notes.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { Shape } from "../../api/client";
import { useGames, useMe } from "../../api/queries";
import { Emblem, emblemNames } from "../../parts/marks";
import { Empty, Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { BaseFields } from "../BaseFields";
import { SuitsFields } from "../SuitsFields";
import { Beginning } from "./Beginning";
import { type Along, NEW_CREW, useStarting, type With } from "./useStarting";

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
      <Loaded query={me}>
        {(who) => (
          <Loaded query={games}>
            {(list) =>
              list.length ? (
                <Form games={list} crews={who.crews} />
              ) : (
                <Empty title="No game is known here yet" action={<Link to="/games/new">Bring a game</Link>}>
                  A pack is of a game. A crew's owner brings one: one file says what it is.
                </Empty>
              )
            }
          </Loaded>
        )}
      </Loaded>
    </Box>
  );
}

function Form({ games, crews }: { games: Shape["GameOut"][]; crews: Shape["CrewOut"][] }) {
  const [search] = useSearchParams();
  const starting = useStarting(games, crews, (search.get("with") as With | null) ?? "nothing", search.get("as") ?? "");
  const { about, along, base, begun, crew, curated, from, game, say, start, suits } = starting;
  const what = suits ? "collection" : "pack";
  const navigate = useNavigate();
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate(undefined, { onSuccess: (pack) => navigate(`/packs/${pack.id}/assemble`) });
      }}
    >
      <Typography variant="h1">Start a {what}</Typography>
      <Box>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={what}
          aria-label="What it is to be"
          onChange={(_, next) => next && starting.makeIt(next)}
        >
          <ToggleButton value="pack">A pack</ToggleButton>
          <ToggleButton value="collection">A collection</ToggleButton>
        </ToggleButtonGroup>
        <Typography variant="body2" sx={{ color: "text.secondary", mt: 0.5 }}>
          {suits
            ? "A small set without a base of its own, to be laid under packs: for stability, for the interface, for one evening."
            : "What a group installs: a base, and everything that is laid on it."}
        </Typography>
      </Box>
      <TextField
        label="Name"
        required
        autoFocus
        value={about.name}
        error={!!start.error?.field("name")}
        helperText={start.error?.field("name") || "How the crew will call it."}
        slotProps={{ htmlInput: { maxLength: 60 } }}
        onChange={(event) => say({ name: event.target.value })}
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
          onChange={(_, emblem) => emblem && say({ emblem })}
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
            ...(crews.some((one) => one.id === crew) || crew === NEW_CREW
              ? []
              : [{ value: crew, name: starting.crewName }]),
            { value: NEW_CREW, name: "A new crew" },
          ]}
          onChange={starting.setCrew}
        />
        {crew === NEW_CREW ? (
          <TextField
            label="Name of the crew"
            required
            value={starting.crewName}
            onChange={(event) => starting.setCrewName(event.target.value)}
          />
        ) : (
          <TextField
            label="Group"
            placeholder="Thursday nights"
            value={about.group}
            onChange={(event) => say({ group: event.target.value })}
          />
        )}
      </Box>
      <Box
        component="fieldset"
        sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 2, display: "grid", gap: 2, m: 0 }}
      >
        <legend>What it begins with</legend>
        <Pick
          label="Game"
          value={game.id}
          options={games.map((one) => ({ value: one.id, name: one.name }))}
          onChange={starting.chooseGame}
        />
        <ToggleButtonGroup
          exclusive
          size="small"
          value={starting.begin}
          aria-label="What it begins with"
          sx={{ flexWrap: "wrap" }}
          onChange={(_, how) => how && starting.beginWith(how)}
        >
          <ToggleButton value="nothing">Nothing yet</ToggleButton>
          <ToggleButton value="list">A list, or links</ToggleButton>
          <ToggleButton value="folder">A folder</ToggleButton>
          <ToggleButton value="pack">Another pack</ToggleButton>
        </ToggleButtonGroup>
        {(starting.begin === "list" || starting.begin === "folder") && (
          <Beginning
            key={`${starting.begin} ${game.id}`}
            how={starting.begin}
            found={starting.found}
            base={base}
            choose={starting.setBase}
            askList={starting.askList}
            askFolder={starting.askFolder}
          />
        )}
        {starting.begin === "pack" && (
          <>
            <Pick
              label="Which pack"
              value={from}
              options={[
                { value: "", name: "choose one" },
                ...starting.others.flatMap((one) => [
                  { value: one.id, name: `${one.name}, as its draft is now` },
                  ...(one.newest_release
                    ? [{ value: `${one.id} ${one.newest_release}`, name: `${one.name}, release ${one.newest_release}` }]
                    : []),
                ]),
              ]}
              onChange={starting.startFrom}
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
                          onChange={(_, on) => starting.takeAlong({ [name]: on })}
                        />
                      }
                      label={label}
                    />
                  ),
                )}
                <FormControlLabel
                  control={
                    <Checkbox size="small" checked={starting.follows} onChange={(_, on) => starting.setFollows(on)} />
                  }
                  label="Follow it from now on"
                />
              </Box>
            )}
          </>
        )}
      </Box>
      <Box
        component="fieldset"
        sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 2, display: "grid", gap: 2, m: 0 }}
      >
        <legend>
          {suits ? "What it suits, and the base that it is tried on" : "Base: it can be changed at any time"}
        </legend>
        {suits && (
          <SuitsFields
            key={`suits ${game.id}`}
            game={game}
            value={suits}
            onChange={starting.setSuits}
            wrong={start.error?.field("range")}
          />
        )}
        <BaseFields key={game.id} game={game} value={base} onChange={starting.setBase} />
      </Box>
      <TextField
        label="Notes"
        multiline
        minRows={2}
        value={about.notes}
        onChange={(event) => say({ notes: event.target.value })}
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
          Start the {what}
        </Button>
      </Box>
    </Box>
  );
}
