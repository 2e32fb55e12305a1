// Playthroughs: a saved world that is being played, and what may change under it. Opened, with milestones, ended; what
// was changed all the same, with the reason.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, usePlaythroughs, useReleases } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { optionsOf, Pick } from "../../parts/Pick";
import { day, many } from "../../parts/words";

type Playthrough = Shape["PlaythroughOut"];

const RULES: Record<Shape["Rule"], string> = {
  "nothing changes": "nothing changes",
  "only what touches nobody's world": "only what touches nobody’s world",
  anything: "anything",
};

export function Playthroughs({ pack }: { pack: Shape["PackOut"] }) {
  const found = usePlaythroughs(pack.id).data;
  const [opening, setOpening] = useState(false);
  const may = pack.role !== "member";
  if (!found) return <Box sx={{ minHeight: 34 }} />;
  const open = found.playthroughs.filter((one) => !one.ended_at);
  const ended = found.playthroughs.filter((one) => one.ended_at);
  if (!found.playthroughs.length && !(may && pack.newest_release)) return null;
  return (
    <Box sx={{ display: "grid", gap: 0.5, mb: 1 }}>
      {open.map((one) => (
        <Open key={one.id} one={one} pack={pack} may={may} />
      ))}
      {may && !opening && pack.newest_release && (
        <Box>
          <Button size="small" variant={open.length ? "text" : "outlined"} onClick={() => setOpening(true)}>
            Open a playthrough
          </Button>
        </Box>
      )}
      {opening && <OpenForm pack={pack} worlds={found.worlds} close={() => setOpening(false)} />}
      {ended.length > 0 && (
        <Box component="details" sx={{ fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
          <summary>{many(ended.length, "playthrough")} that ended</summary>
          {ended.map((one) => (
            <Box key={one.id} sx={{ pl: 2, py: 0.5 }}>
              <strong>{one.name}</strong>, in {one.world}, from {one.begun} to {one.last}, ended{" "}
              {day(one.ended_at ?? "")}: {one.ended_because}
              <Exceptions one={one} />
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}

function Open({ one, pack, may }: { one: Playthrough; pack: Shape["PackOut"]; may: boolean }) {
  const path = { pack_id: pack.id, playthrough_id: one.id };
  const keys = ["pack", pack.id];
  const [doing, setDoing] = useState<"end" | "milestone" | null>(null);
  const [text, setText] = useState("");
  const change = useChange(async () => {
    const to = "/api/packs/{pack_id}/playthroughs/{playthrough_id}" as const;
    if (doing === "end") await told(api.POST(`${to}/end`, { params: { path }, body: { because: text } }));
    else await told(api.POST(`${to}/milestones`, { params: { path }, body: { name: text } }));
  }, keys);
  const begin = (what: typeof doing) => {
    setDoing(doing === what ? null : what);
    setText("");
  };
  return (
    <Paper variant="outlined" component="section" sx={{ px: 2, py: 1.5 }} aria-label={`Playthrough ${one.name}`}>
      <Box sx={{ display: "flex", gap: 3, flexWrap: "wrap", alignItems: "flex-start" }}>
        <Box sx={{ minWidth: 240, flex: 1 }}>
          <Typography variant="h2">{one.name}</Typography>
          <Box sx={{ fontSize: "0.9rem" }}>
            played in <strong>{one.world}</strong> since {one.begun}, {day(one.at)}
          </Box>
          <Box sx={{ fontSize: "0.9rem" }}>
            May change: <strong>{RULES[one.rule]}</strong>
          </Box>
          <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
            {one.note} {one.by}
          </Box>
        </Box>
        <Box sx={{ minWidth: 260, flex: 1.4, fontSize: "0.9rem" }}>
          {one.milestones.map((each) => (
            <Box key={each.at}>
              <strong>{each.name}</strong>, {day(each.at)}:{" "}
              {each.backed_up ? `backed up on ${many(each.backed_up, "machine")}` : "nobody has backed it up yet"}
            </Box>
          ))}
          <Exceptions one={one} />
          {!one.milestones.length && !one.exceptions.length && (
            <Box sx={{ color: "text.secondary" }}>No milestone yet, and nothing was changed against its rule.</Box>
          )}
        </Box>
      </Box>
      {may && (
        <Box sx={{ display: "flex", gap: 0.5, mt: 1, flexWrap: "wrap" }}>
          <Button size="small" aria-expanded={doing === "milestone"} onClick={() => begin("milestone")}>
            Set a milestone
          </Button>
          <Button size="small" color="error" aria-expanded={doing === "end"} onClick={() => begin("end")}>
            End it
          </Button>
        </Box>
      )}
      {doing && (
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mt: 1 }}
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate(undefined, { onSuccess: () => setDoing(null) });
          }}
        >
          <TextField
            key={doing}
            autoFocus
            required
            label={doing === "end" ? "Why it ends" : "What was reached"}
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { maxLength: doing === "end" ? 300 : 60 } }}
            sx={{ flex: 1, minWidth: 220, maxWidth: 460 }}
          />
          <Button type="submit" variant="contained" disabled={change.isPending || !text.trim()}>
            {doing === "end" ? "End it" : "Back worlds up by this name"}
          </Button>
          <Button onClick={() => setDoing(null)}>Not now</Button>
          <Box sx={{ flexBasis: "100%", fontSize: "0.85rem", color: "text.secondary" }}>
            {doing === "end"
              ? "It is kept, with its releases. Nothing is forbidden any more."
              : "Every machine that has the world backs its worlds up: at once where the agent watches, else at its next sync."}
          </Box>
        </Box>
      )}
      <RefusalRemark error={change.error} />
    </Paper>
  );
}

/** What was changed against its rule: members read why. */
function Exceptions({ one }: { one: Playthrough }) {
  return (
    <>
      {one.exceptions.map((each) => (
        <Box key={`${each.release} ${each.what}`} sx={{ borderLeft: 3, borderColor: "warning.main", pl: 1, my: 0.5 }}>
          With <code>{each.release}</code>: {each.what.replace(`${one.name} is being played: `, "")}{" "}
          <Box component="span" sx={{ color: "text.secondary" }}>
            Because: {each.because}
          </Box>
        </Box>
      ))}
    </>
  );
}

function OpenForm({ pack, worlds, close }: { pack: Shape["PackOut"]; worlds: string[]; close: () => void }) {
  const releases = (useReleases(pack.id).data ?? []).filter((one) => !one.withdrawn);
  const [said, setSaid] = useState({ name: "", world: worlds[0] ?? "", release: pack.newest_release, note: "" });
  const [rule, setRule] = useState<Shape["Rule"]>("only what touches nobody's world");
  const open = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/playthroughs", {
          params: { path: { pack_id: pack.id } },
          body: { ...said, rule },
        }),
      ),
    ["pack", pack.id],
  );
  const field = (name: "name" | "world" | "note", label: string, helper = "") => (
    <TextField
      label={label}
      required={name !== "note"}
      value={said[name]}
      error={!!open.error?.field(name)}
      helperText={open.error?.field(name) || helper}
      onChange={(event) => setSaid({ ...said, [name]: event.target.value })}
      slotProps={{
        htmlInput: { maxLength: name === "note" ? 300 : 60, list: name === "world" ? "worlds" : undefined },
      }}
      sx={{ flex: 1, minWidth: 200 }}
    />
  );
  return (
    <Paper
      variant="outlined"
      component="form"
      aria-label="Open a playthrough"
      sx={{ p: 2, display: "flex", gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}
      onSubmit={(event) => {
        event.preventDefault();
        open.mutate(undefined, { onSuccess: close });
      }}
    >
      {field("name", "Name", "How the crew calls it.")}
      {field("world", "World", "The name of its folder.")}
      <datalist id="worlds">
        {worlds.map((one) => (
          <option key={one} value={one} />
        ))}
      </datalist>
      <Box sx={{ width: 130 }}>
        <Pick
          label="Begun with"
          value={said.release}
          options={releases.map((one) => ({ value: one.number, name: one.number }))}
          onChange={(release) => setSaid({ ...said, release })}
        />
      </Box>
      <Box sx={{ width: 290 }}>
        <Pick label="What may change" value={rule} options={optionsOf(RULES)} onChange={setRule} />
      </Box>
      {field("note", "Note")}
      <Box sx={{ display: "flex", gap: 1, flexBasis: "100%" }}>
        <Button type="submit" variant="contained" disabled={open.isPending || !said.name.trim() || !said.world.trim()}>
          Open it
        </Button>
        <Button onClick={close}>Not now</Button>
      </Box>
      <RefusalRemark error={open.error} />
    </Paper>
  );
}
