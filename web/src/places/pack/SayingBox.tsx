// The crew's own word on a mod: whether its build works on this base, and what it changes beyond what it says itself.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { Pick } from "../../parts/Pick";
import { day } from "../../parts/words";
import type { Editing } from "./useEditing";

type Page = Shape["ModPage"];

interface Props {
  page: Page;
  version: string;
  editing: Editing;
  may: boolean;
}

export function SayingBox({ page, version, editing, may }: Props) {
  const build = page.builds.find((one) => one.version === version) ?? page.builds[0];
  const [adds, setAdds] = useState(false);
  if (!build) return null;
  const here = build.verdicts.find((one) => one.here);
  return (
    <Box component="section" aria-label="The crew's word" sx={{ fontSize: "0.88rem" }}>
      <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
        The crew's word
      </Typography>
      {build.verdicts.map((one) => (
        <div key={one.sentence}>
          {build.version} {one.sentence}
        </div>
      ))}
      {may && <Verdict key={build.version} mod={page.slug} version={build.version} here={here} editing={editing} />}
      <Claims title="It says that it" build={build} />
      {page.added && (
        <Box>
          <Claims title="The crew adds that it" build={page.added} more />
          <Box sx={{ color: "text.secondary" }}>
            {page.added.note && `${page.added.note}, `}
            {page.added.by}, {day(page.added.on)}
          </Box>
        </Box>
      )}
      {may && (
        <Button size="small" sx={{ px: 0 }} aria-expanded={adds} onClick={() => setAdds(!adds)}>
          {adds ? "Leave it" : "Say what it changes"}
        </Button>
      )}
      {adds && <Adding page={page} editing={editing} close={() => setAdds(false)} />}
    </Box>
  );
}

function Verdict(props: { mod: string; version: string; here: Shape["VerdictOut"] | undefined; editing: Editing }) {
  const { mod, version, here, editing } = props;
  const [note, setNote] = useState("");
  const say = (works: boolean | null) => editing.edit({ do: "verdict", mod, version, works, note });
  if (here) {
    return (
      <Button size="small" sx={{ px: 0 }} onClick={() => say(null)} disabled={editing.pending}>
        Take that verdict back
      </Button>
    );
  }
  return (
    <Box sx={{ display: "grid", gap: 0.5 }}>
      <TextField
        label={`Tried ${version} here? A note`}
        value={note}
        onChange={(event) => setNote(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 200 } }}
        sx={{ mt: 0.5 }}
      />
      <Box>
        <Button size="small" onClick={() => say(true)} disabled={editing.pending}>
          It works
        </Button>
        <Button size="small" onClick={() => say(false)} disabled={editing.pending}>
          It does not work
        </Button>
      </Box>
    </Box>
  );
}

interface Claimed {
  touches: string[];
  rebuilds: string[];
  partners: string[];
  parts?: { name: string }[];
  side?: string;
  reach?: string;
}

function Claims({ title, build, more = false }: { title: string; build: Claimed; more?: boolean }) {
  const said = [
    build.touches.length > 0 && `touches ${build.touches.join(", ")}`,
    build.rebuilds.length > 0 && `rebuilds ${build.rebuilds.join(", ")}`,
    build.partners.length > 0 && `joins ${build.partners.join(" and ")}`,
    more && build.parts?.length && `has the parts ${build.parts.map((one) => one.name).join(", ")}`,
    more && build.side && `is for: ${build.side}`,
    more && build.reach && `has the reach: ${build.reach}`,
  ].filter(Boolean);
  return said.length ? (
    <div>
      {title} {said.join("; ")}.
    </div>
  ) : null;
}

const names = (text: string) => text.split(/[\s,]+/).filter(Boolean);

/** Parts as people write them: `Songs: songs, more/songs`, one a line. */
function partsOf(text: string) {
  return text
    .split("\n")
    .map((line) => line.split(":"))
    .filter(([name, folders]) => name.trim() && folders?.trim())
    .map(([name, folders]) => ({
      id: name
        .trim()
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, "-"),
      name: name.trim(),
      folders: folders.split(",").map((one) => one.trim()),
    }));
}

function Adding({ page, editing, close }: { page: Page; editing: Editing; close: () => void }) {
  const added = page.added;
  const [touches, setTouches] = useState(added?.touches.join(", ") ?? "");
  const [rebuilds, setRebuilds] = useState(added?.rebuilds.join(", ") ?? "");
  const [partners, setPartners] = useState(added?.partners.join(", ") ?? "");
  const [parts, setParts] = useState(
    added?.parts.map((one) => `${one.name}: ${one.folders.join(", ")}`).join("\n") ?? "",
  );
  const [side, setSide] = useState(added?.side ?? "");
  const [reach, setReach] = useState(added?.reach ?? "");
  const [note, setNote] = useState(added?.note ?? "");
  const said = {
    touches: names(touches),
    rebuilds: names(rebuilds),
    partners: names(partners),
    parts: partsOf(parts),
    side: side as Shape["SayMore"]["side"],
    reach: reach as Shape["SayMore"]["reach"],
    note,
  };
  const asBuilt = { value: "", name: "as its builds say" };
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 1, mt: 0.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        editing.editThen({ kept: close }, { do: "say", mod: page.slug, ...said });
      }}
    >
      <TextField
        label="It touches"
        helperText="What it changes beyond its files, as economy.tolls, weather.fog"
        value={touches}
        onChange={(event) => setTouches(event.target.value)}
      />
      <TextField
        label="It rebuilds"
        helperText="What it makes anew and wants alone, as economy"
        value={rebuilds}
        onChange={(event) => setRebuilds(event.target.value)}
      />
      <TextField
        label="It joins"
        helperText="The ids of the mods without which it does nothing"
        value={partners}
        onChange={(event) => setPartners(event.target.value)}
      />
      <TextField
        label="Its parts"
        helperText="One a line, with its folders, as Songs: songs, more/songs"
        multiline
        value={parts}
        onChange={(event) => setParts(event.target.value)}
      />
      <Pick label="Side" value={side} options={[asBuilt, ...SIDES]} onChange={setSide} />
      <Pick label="Reach" value={reach} options={[asBuilt, ...REACHES]} onChange={setReach} />
      <TextField label="How you know" value={note} onChange={(event) => setNote(event.target.value)} />
      <Box>
        <Button type="submit" size="small" variant="outlined" disabled={editing.pending}>
          Say so
        </Button>
      </Box>
    </Box>
  );
}

const SIDES = ["player", "server", "both"].map((value) => ({ value, name: value }));
const REACHES = ["own", "crew", "save"].map((value) => ({ value, name: value }));
