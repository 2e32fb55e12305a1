// The inspector: the mod in hand. What it is, its builds with why each could not be taken, what it needs, where from.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { useDraft, useMod } from "../../api/queries";
import { Loaded } from "../../parts/notices";
import { bytes, day } from "../../parts/words";
import { mono } from "../../theme";
import { NeedsGraph } from "./NeedsGraph";
import type { Editing } from "./useEditing";

type ModPage = Shape["ModPage"];
type Build = Shape["BuildOut"];

interface Props {
  packId: string;
  slug: string;
  line: Shape["LineOut"] | undefined;
  editing: Editing;
  may: boolean;
  take: (mod: string) => void;
  showNeeds: (mod: string) => void;
}

export function Inspector(props: Props) {
  const mod = useMod(props.packId, props.slug);
  return (
    <Box sx={{ p: 1.5 }}>
      <Loaded query={mod} rows={8}>
        {(page) => <Shown page={page} {...props} />}
      </Loaded>
    </Box>
  );
}

function Shown({ packId, page, line, editing, may, take, showNeeds }: Props & { page: ModPage }) {
  return (
    <>
      <Box sx={{ display: "flex", justifyContent: "space-between", gap: 1 }}>
        <Typography variant="h2">{page.name}</Typography>
        <Button
          size="small"
          color="inherit"
          onClick={() => take("")}
          aria-label="Put away the mod in hand"
          sx={{ minWidth: 28 }}
        >
          ✕
        </Button>
      </Box>
      <Typography variant="body2" sx={{ mb: 1 }}>
        {page.summary}
      </Typography>
      <Actions
        line={line}
        slug={page.slug}
        fits={page.builds.some((one) => !one.ruled_out)}
        editing={editing}
        may={may}
      />
      <Facts packId={packId} page={page} line={line} />
      <Box sx={{ display: "flex", gap: 2 }}>
        <Button
          size="small"
          sx={{ px: 0 }}
          component={Link}
          to={`/packs/${packId}/mods/${encodeURIComponent(page.slug)}`}
        >
          All about it
        </Button>
        <Button size="small" sx={{ px: 0 }} onClick={() => showNeeds(page.slug)}>
          Find what needs it
        </Button>
      </Box>
      {line?.group === "chosen" && may && <About key={line.mod} line={line} editing={editing} />}
      {line?.version && (
        <>
          <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
            Why it is in
          </Typography>
          <NeedsGraph packId={packId} mod={page.slug} take={take} />
        </>
      )}
      <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
        Builds
      </Typography>
      {page.builds.map((build) => (
        <BuildRow key={build.version} build={build} slug={page.slug} line={line} editing={editing} may={may} />
      ))}
    </>
  );
}

function Actions({
  line,
  slug,
  fits,
  editing,
  may,
}: Pick<Props, "line" | "slug" | "editing" | "may"> & { fits: boolean }) {
  if (!may) return null;
  const busy = editing.pending;
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 1 }}>
      {line?.group !== "chosen" && (
        <Button
          size="small"
          variant="contained"
          disabled={busy || !fits}
          onClick={() => editing.edit({ do: "add", mod: slug })}
        >
          {line ? "Choose it myself" : "Add"}
        </Button>
      )}
      {line?.newer && !line.held && (
        <Button
          size="small"
          variant="contained"
          disabled={busy}
          onClick={() => editing.edit({ do: "update", mods: [slug] })}
        >
          Update to {line.newer}
        </Button>
      )}
      {line?.held && (
        <Button
          size="small"
          variant="outlined"
          disabled={busy}
          onClick={() => editing.edit({ do: "hold", mod: slug, version: "", because: "" })}
        >
          Let go of {line.version || "the hold"}
        </Button>
      )}
      {line?.group === "chosen" && (
        <>
          <Button
            size="small"
            variant="outlined"
            disabled={busy}
            onClick={() => editing.edit({ do: "switch", mod: slug, on: line.state === "off" })}
          >
            Switch {line.state === "off" ? "on" : "off"}
          </Button>
          <Button
            size="small"
            variant="outlined"
            color="error"
            disabled={busy}
            onClick={() => editing.edit({ do: "remove", mod: slug })}
          >
            Remove
          </Button>
        </>
      )}
    </Box>
  );
}

/** What the curator says about a line: optional or not, advice, tags, a note. Kept when a field is left. */
function About({ line, editing }: { line: Shape["LineOut"]; editing: Editing }) {
  const [tags, setTags] = useState(line.tags.join(", "));
  const [note, setNote] = useState(line.note);
  const [advice, setAdvice] = useState(line.advice);
  const say = (what: { note?: string; advice?: string; tags?: string[]; optional?: boolean }) =>
    editing.edit({ do: "describe", mod: line.mod, ...what });
  const wanted = tags
    .split(",")
    .map((one) => one.trim().slice(0, 30))
    .filter(Boolean)
    .slice(0, 8);
  return (
    <Box sx={{ display: "grid", gap: 1, mt: 1.5 }}>
      <FormControlLabel
        control={<Switch size="small" checked={line.optional} onChange={(_, optional) => say({ optional })} />}
        label="Optional: members choose"
        slotProps={{ typography: { variant: "body2" } }}
      />
      {line.optional && (
        <TextField
          label="Advice to members"
          value={advice}
          onChange={(event) => setAdvice(event.target.value.slice(0, 200))}
          onBlur={() => advice !== line.advice && say({ advice })}
        />
      )}
      <TextField
        label="Tags, with commas"
        value={tags}
        onChange={(event) => setTags(event.target.value)}
        onBlur={() => wanted.join() !== line.tags.join() && say({ tags: wanted })}
      />
      <TextField
        label="Note"
        multiline
        maxRows={4}
        value={note}
        onChange={(event) => setNote(event.target.value.slice(0, 500))}
        onBlur={() => note !== line.note && say({ note })}
      />
    </Box>
  );
}

function Facts({ packId, page, line }: { packId: string; page: ModPage; line: Props["line"] }) {
  const names = new Map(useDraft(packId).data?.lines.map((one) => [one.mod, one.name]));
  const facts: [string, string][] = [
    ["In the draft", line ? `${line.group}${line.version && `, ${line.version}`}` : "no"],
    ...(line?.held ? [["Held because", line.held_because || "no reason given"] as [string, string]] : []),
    ...(line?.why ? [["Why not", line.why] as [string, string]] : []),
    ...(line?.needed_by.length
      ? [["Needed by", line.needed_by.map((one) => names.get(one) ?? one).join(", ")] as [string, string]]
      : []),
    ["By", page.author],
    ["Kind", `${page.kind}, ${page.category}`],
    ["Pickup", `${page.pickup}, from ${page.source}`],
    ["Licence", page.licence || "none given"],
    ...(page.counterpart ? [["Counterpart", page.counterpart] as [string, string]] : []),
    ["Downloads", page.downloads.toLocaleString("en-GB")],
  ];
  return (
    <Box
      component="dl"
      sx={{
        display: "grid",
        gridTemplateColumns: "auto 1fr",
        columnGap: 1.5,
        rowGap: 0.25,
        m: 0,
        fontSize: "0.85rem",
        "& dt": { color: "text.secondary" },
        "& dd": { m: 0, overflowWrap: "anywhere" },
      }}
    >
      {facts.map(([name, value]) => (
        <Box key={name} sx={{ display: "contents" }}>
          <dt>{name}</dt>
          <dd>{value}</dd>
        </Box>
      ))}
    </Box>
  );
}

function BuildRow({
  build,
  slug,
  line,
  editing,
  may,
}: { build: Build; slug: string } & Pick<Props, "line" | "editing" | "may">) {
  const [holding, setHolding] = useState(false);
  const [because, setBecause] = useState("");
  const current = line?.version === build.version;
  const needs = Object.entries(build.needs).map(([mod, range]) => `${mod} ${range === "*" ? "" : range}`);
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 0.75, fontSize: "0.83rem" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Box
          component="span"
          sx={{
            fontFamily: mono,
            fontWeight: current ? 700 : 400,
            color: build.ruled_out ? "text.secondary" : undefined,
          }}
        >
          {build.version}
        </Box>
        {build.channel !== "stable" && <Box sx={{ color: "info.main" }}>{build.channel}</Box>}
        <Box sx={{ color: "text.secondary", flex: 1 }}>
          {build.date && day(build.date)} · {bytes(build.archive_size)}
        </Box>
        {current && <strong>now</strong>}
        {may && line && !build.ruled_out && !holding && !(current && line.held) && (
          <Button
            size="small"
            sx={{ py: 0, minWidth: 0 }}
            onClick={() => setHolding(true)}
            aria-label={`Hold at ${build.version}`}
          >
            Hold
          </Button>
        )}
      </Box>
      {build.ruled_out && (
        <Box sx={{ color: "text.secondary" }}>
          <Box component="span" sx={{ color: "error.main" }}>
            ▬
          </Box>{" "}
          not now: {build.ruled_out}
        </Box>
      )}
      {needs.length > 0 && <Box sx={{ color: "text.secondary" }}>needs {needs.join("; ")}</Box>}
      {build.change_log && <Box>{build.change_log}</Box>}
      {holding && (
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, mt: 1 }}
          onSubmit={(event) => {
            event.preventDefault();
            setHolding(false);
            editing.edit({ do: "hold", mod: slug, version: build.version, because });
          }}
        >
          <TextField
            autoFocus
            label="Why hold it here"
            value={because}
            onChange={(event) => setBecause(event.target.value)}
          />
          <Button type="submit" variant="contained">
            Hold here
          </Button>
        </Box>
      )}
    </Box>
  );
}
