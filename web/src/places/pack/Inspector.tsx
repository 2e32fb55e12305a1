// The inspector: the mod in hand. What it is, its builds with why each could not be taken, what it needs, where from.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { useMod } from "../../api/queries";
import { PICKUPS, REACHES, SIDES } from "../../parts/meanings";
import { Loaded, Remark } from "../../parts/notices";
import { bytes, day } from "../../parts/words";
import { mono } from "../../theme";
import { About } from "./AboutLine";
import { BuildSaid } from "./BuildSaid";
import { KeepsWorld } from "./KeepsWorld";
import { NeedsGraph } from "./NeedsGraph";
import { PartsBox } from "./PartsBox";
import { SayingBox } from "./SayingBox";
import type { Editing } from "./useEditing";
import { WaysOut } from "./WaysOut";

type ModPage = Shape["ModPage"];
type Build = Shape["BuildOut"];

interface Props {
  packId: string;
  slug: string;
  lines: Shape["LineOut"][];
  collections: Shape["CollectionOut"][];
  editing: Editing;
  may: boolean;
  take: (mod: string) => void;
  showNeeds: (mod: string) => void;
}

export function Inspector({ lines, ...props }: Props) {
  const mod = useMod(props.packId, props.slug);
  const line = lines.find((one) => one.mod === props.slug);
  return (
    <Box sx={{ p: 1.5 }}>
      <Loaded query={mod} rows={8}>
        {(page) => <Shown key={page.slug} page={page} line={line} lines={lines} {...props} />}
      </Loaded>
    </Box>
  );
}

interface OfMod extends Props {
  page: ModPage;
  line: Shape["LineOut"] | undefined;
}

function Shown({ packId, page, line, lines, collections, editing, may, take, showNeeds }: OfMod) {
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
      <Actions line={line} slug={page.slug} comes={page.comes} editing={editing} may={may} />
      <Facts page={page} line={line} lines={lines} />
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
      {line?.group === "collection" && (
        <Remark tone="info" live={false}>
          A line of {collections.find((one) => one.id === line.collection)?.name ?? "a collection"}: its build moves
          when the collection does.
        </Remark>
      )}
      {line?.state === "kept" && (
        <Remark tone="warning" live={false}>
          It is off, and stays because others need it. Remove or switch off what needs it, and it leaves.
        </Remark>
      )}
      {line && line.kept_for.length > 0 && !line.needed_by.length && line.group === "brought in" && (
        <WaitsFor line={line} lines={lines} editing={editing} may={may} />
      )}
      {line && line.ways.length > 0 && may && <WaysOut ways={line.ways} pick={(edit) => editing.edit(edit)} />}
      {line?.version && may && <KeepsWorld key={`keeps ${line.mod}`} packId={packId} line={line} editing={editing} />}
      {line?.group === "chosen" && may && (
        <About key={`about ${line.mod}`} line={line} lines={lines} editing={editing} />
      )}
      {line?.version && <PartsBox packId={packId} mod={page.slug} editing={editing} may={may} />}
      <SayingBox page={page} version={line?.version ?? ""} editing={editing} may={may} />
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
        <BuildRow
          key={build.version}
          build={build}
          names={page.names}
          slug={page.slug}
          line={line}
          editing={editing}
          may={may}
        />
      ))}
    </>
  );
}

function Actions({
  line,
  slug,
  comes,
  editing,
  may,
}: Pick<OfMod, "line" | "slug" | "editing" | "may"> & { comes: string }) {
  if (!may) return null;
  const busy = editing.pending;
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 1 }}>
      {line?.group !== "chosen" && (
        <Button
          size="small"
          variant="contained"
          disabled={busy || !comes}
          onClick={() => editing.edit({ do: "add", mod: slug, version: line ? "" : comes })}
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
      {line?.group === "collection" && (
        <Button
          size="small"
          variant="outlined"
          disabled={busy}
          onClick={() => editing.edit({ do: "switch", mod: slug, on: false })}
        >
          Leave it out here
        </Button>
      )}
      {line?.group === "chosen" && (
        <>
          <Button
            size="small"
            variant="outlined"
            disabled={busy}
            onClick={() => editing.edit({ do: "switch", mod: slug, on: !line.on })}
          >
            Switch {line.on ? "off" : "on"}
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

/** A mod that is in for lines alone that are switched off. */
function WaitsFor({
  line,
  lines,
  editing,
  may,
}: { line: Shape["LineOut"] } & Pick<Props, "lines" | "editing" | "may">) {
  const off = lines.filter((one) => line.kept_for.includes(one.mod));
  return (
    <Remark tone="info" live={false}>
      Nothing that is on needs it. It waits for {off.map((one) => one.name).join(", ")}, switched off, so that switching
      on again moves nothing.
      {may && (
        <Box sx={{ mt: 0.5 }}>
          <Button
            size="small"
            color="error"
            variant="outlined"
            disabled={editing.pending}
            onClick={() => editing.edit(...off.map((one) => ({ do: "remove" as const, mod: one.mod })))}
          >
            Remove {off.length === 1 ? off[0].name : `those ${off.length}`}
          </Button>
        </Box>
      )}
    </Remark>
  );
}

/** What the curator says about a line: optional or not, advice, tags, a note, its place. Kept when a field is left; a
 * field whose text was refused goes back to what is kept.
 */
function Facts({ page, line, lines }: Pick<OfMod, "page" | "line" | "lines">) {
  const names = new Map(lines.map((one) => [one.mod, one.name]));
  const own = page.builds.find((one) => one.version === line?.version) ?? page.builds[0];
  const facts: [string, string][] = [
    ["In the draft", line ? `${line.group}${line.on ? "" : ", off"}${line.version && `, ${line.version}`}` : "no"],
    ...(line?.verdict ? [["Verdict", line.verdict] as [string, string]] : []),
    ...(line?.held ? [["Held because", line.held_because || "no reason given"] as [string, string]] : []),
    ...(line?.why ? [["Why not", line.why] as [string, string]] : []),
    ...(line?.needed_by.length
      ? [["Needed by", line.needed_by.map((one) => names.get(one) ?? one).join(", ")] as [string, string]]
      : []),
    ["By", page.author],
    ["Kind", `${page.kind}, ${page.category}`],
    ["Pickup", `${page.pickup}: ${PICKUPS[page.pickup]}. From ${page.source}`],
    ...(own
      ? ([
          ["Side", `${own.side}: ${SIDES[own.side]}`],
          ["Reach", `${own.reach}: ${REACHES[own.reach]}`],
        ] as [string, string][])
      : []),
    ["Licence", page.licence || "none given"],
    ...(page.counterpart
      ? [["Counterpart", page.names[page.counterpart] ?? page.counterpart] as [string, string]]
      : []),
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
  names,
  slug,
  line,
  editing,
  may,
}: { build: Build; slug: string; names: Record<string, string> } & Pick<OfMod, "line" | "editing" | "may">) {
  const holder = useRef<HTMLButtonElement>(null);
  const [holding, setHolding] = useState(false);
  const [because, setBecause] = useState("");
  const current = line?.version === build.version;
  const busy = editing.pending;
  return (
    <Box
      tabIndex={-1}
      role="group"
      aria-label={`Build ${build.version}`}
      sx={{ borderTop: 1, borderColor: "divider", py: 0.75, fontSize: "0.83rem" }}
    >
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
        {may && line && !build.ruled_out && !current && (
          <Button
            size="small"
            sx={{ py: 0, minWidth: 0 }}
            disabled={busy}
            onClick={() => editing.edit({ do: "take", mod: slug, version: build.version })}
            aria-label={`Take ${build.version}`}
          >
            Take
          </Button>
        )}
        {may && line && !build.ruled_out && !holding && !(current && line.held) && (
          <Button
            ref={holder}
            size="small"
            sx={{ py: 0, minWidth: 0 }}
            onClick={() => setHolding(true)}
            aria-label={`Hold at ${build.version}`}
          >
            Hold
          </Button>
        )}
      </Box>
      <BuildSaid build={build} names={names} />
      {holding && (
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, mt: 1 }}
          onSubmit={(event) => {
            event.preventDefault();
            const row = event.currentTarget.parentElement;
            setHolding(false);
            // The form goes, and its focus with it: it stays with the build that was held.
            editing.edit({ do: "hold", mod: slug, version: build.version, because });
            requestAnimationFrame(() => row?.focus());
          }}
          onKeyDown={(event: React.KeyboardEvent) => {
            if (event.key !== "Escape") return;
            event.stopPropagation();
            setHolding(false);
            requestAnimationFrame(() => holder.current?.focus());
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
