// Narrowing a failing trial down: every try as a bar of the mods that were in it, closing in on those that it takes.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import type { Edit } from "../../../api/edits";
import { useChange, useNarrowing, usePack } from "../../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { many, when } from "../../../parts/words";
import { LastEdit } from "../LastEdit";
import { RehearsalDialog } from "../Rehearsal";
import { type Editing, useEditing } from "../useEditing";
import { Ways } from "./Ways";

type One = Shape["NarrowingOut"];

export default function Narrowing() {
  const { packId = "", narrowingId = "" } = useParams();
  const found = useNarrowing(packId, narrowingId);
  const may = usePack(packId).data?.role !== "member";
  return (
    <Loaded query={found} rows={10}>
      {(one) => (
        <>
          <Head packId={packId} one={one} may={may} />
          {one.found && <Found packId={packId} one={one} found={one.found} may={may} />}
          <Tries one={one} />
        </>
      )}
    </Loaded>
  );
}

const isOpen = (one: One) => one.state === "waits" || one.state === "working";

function title(one: One): string {
  if (one.state === "waits") return "Waits for the bench";
  if (one.state === "working" && !one.found) return `Narrowing it down, try ${one.tries.length + 1}`;
  if (one.state === "stopped") return "Stopped before anything was found";
  if (one.state === "failed" || !one.found) return one.told || "It could not be narrowed down";
  if (!one.found.fails) return "All of it together did not fail this time";
  if (!one.found.culprits.length) return "It fails without any mod";
  return one.found.culprits.length === 1
    ? `It is ${one.found.culprits[0].name}`
    : `It takes ${one.found.culprits.length} together: ${one.found.culprits.map((each) => each.name).join(", ")}`;
}

function Head({ packId, one, may }: { packId: string; one: One; may: boolean }) {
  const go = useNavigate();
  const trial = `/packs/${packId}/check/bench/${one.trial}`;
  const drop = useChange(
    () =>
      told(
        api.DELETE("/api/packs/{pack_id}/narrowings/{narrowing_id}", {
          params: { path: { pack_id: packId, narrowing_id: one.id } },
        }),
      ),
    ["pack", packId, "narrowings"],
    ["pack", packId, "trials"],
  );
  return (
    <Box component="header" sx={{ mb: 1.5 }}>
      <Link component={RouterLink} to={trial} sx={{ fontSize: "0.9rem" }}>
        The trial that failed
      </Link>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h2" component="h1" role="status" sx={{ flex: 1, minWidth: 260 }}>
          {title(one)}
        </Typography>
        {may && (
          <Button
            size="small"
            disabled={drop.isPending}
            onClick={() => drop.mutate(undefined, { onSuccess: () => isOpen(one) || go(trial) })}
          >
            {isOpen(one) ? "Stop it" : "Forget it"}
          </Button>
        )}
      </Box>
      <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
        Asked for by {one.by}, {when(one.at)}. About {many(one.planned, "try", "tries")} for one culprit among{" "}
        {many(one.mods.length, "mod")}
        {one.chance < 1 && `, as it fails in about ${Math.round(one.chance * 100)} of 100 starts`}.
      </Box>
      <RefusalRemark error={drop.error} />
    </Box>
  );
}

function Found({ packId, one, found, may }: { packId: string; one: One; found: Shape["CulpritsOut"]; may: boolean }) {
  const editing = useEditing(packId);
  const it = found.culprits.length > 1 ? "them" : "it";
  return (
    <Box sx={{ mb: 2 }}>
      <LastEdit editing={editing} />
      <RehearsalDialog editing={editing} />
      <Remark tone={found.culprits.length ? "error" : "info"} live={false}>
        <strong>
          {found.tries} tries.{" "}
          {found.without_it_works
            ? `Everything else comes up without ${it}.`
            : found.without_it_works === false
              ? `Without ${it} the rest fails as well: there is more.`
              : ""}
        </strong>{" "}
        {found.sure < 1 && `Sure to ${(100 * found.sure).toFixed(1)} in 100.`}
        {may && one.is_current && !one.rehearsed.length && <Ways ways={one.ways} editing={editing} />}
      </Remark>
      <Rehearsed one={one} editing={may && one.is_current ? editing : null} />
    </Box>
  );
}

/** Ways out, each of which the bench has started. */
function Rehearsed({ one, editing }: { one: One; editing: Editing | null }) {
  const working = one.state === "working";
  if (!one.rehearsed.length && !working) return null;
  return (
    <Box component="section" aria-label="Ways out" sx={{ mt: 2 }}>
      <Typography variant="h3" component="h2" sx={{ mb: 0.5 }}>
        {working ? "Ways out are being tried …" : "Ways out, each of them tried"}
      </Typography>
      {one.rehearsed.map((way) => {
        const { word, colour, shape } = WORDS[way.outcome];
        return (
          <Box
            key={way.text}
            sx={{
              display: "grid",
              gridTemplateColumns: { xs: "1fr 110px", sm: "minmax(0, 1fr) 110px 90px" },
              columnGap: 1.5,
              alignItems: "center",
              minHeight: 36,
              borderTop: 1,
              borderColor: "divider",
              fontSize: "0.9rem",
            }}
          >
            <span>{way.text}</span>
            <Box sx={{ color: colour, fontWeight: 600 }}>
              <span aria-hidden>{shape}</span> {word}
            </Box>
            {editing && way.outcome === "works" && (
              <Button
                size="small"
                variant="outlined"
                sx={{ py: 0, gridColumn: { xs: "1 / -1", sm: "auto" } }}
                aria-label={`Do so: ${way.text}`}
                disabled={editing.pending}
                onClick={() => editing.edit(...(way.edits as Edit[]))}
              >
                Do so
              </Button>
            )}
          </Box>
        );
      })}
    </Box>
  );
}

const WORDS: Record<Shape["Outcome"], { word: string; colour: string; shape: string }> = {
  works: { word: "comes up", colour: "primary.main", shape: "●" },
  fails: { word: "fails", colour: "error.main", shape: "▬" },
  undecided: { word: "undecided", colour: "text.secondary", shape: "○" },
};

/** What was in a try, as a row of marks in the order of the mods: filled where one was in it. */
function Tries({ one }: { one: One }) {
  const culprits = new Set((one.found?.culprits ?? []).map((each) => each.name));
  return (
    <Box component="section" aria-label="Tries">
      <Typography variant="h3" component="h2" sx={{ mb: 1 }}>
        {many(one.tries.length, "try", "tries")}
      </Typography>
      {one.tries.map((each, at) => {
        const { word, colour, shape } = WORDS[each.outcome];
        return (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: tries are only added, never moved
            key={at}
            sx={{
              display: "grid",
              gridTemplateColumns: { xs: "28px 1fr", sm: "28px minmax(0, 1fr) 110px 110px" },
              columnGap: 1.5,
              alignItems: "center",
              py: 0.5,
              borderTop: 1,
              borderColor: "divider",
              fontSize: "0.9rem",
            }}
          >
            <Box sx={{ color: "text.secondary", textAlign: "right" }}>{at + 1}</Box>
            <Bar mods={one.mods} inside={new Set(each.mods)} culprits={culprits} />
            <Box sx={{ gridColumn: { xs: 2, sm: "auto" }, color: colour, fontWeight: 600 }}>
              <span aria-hidden>{shape}</span> {word}
            </Box>
            <Box sx={{ gridColumn: { xs: 2, sm: "auto" }, color: "text.secondary" }}>
              {many(each.mods.length, "mod")}, {each.seconds.toFixed(1)} s
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}

function Bar({ mods, inside, culprits }: { mods: string[]; inside: Set<number>; culprits: Set<string> }) {
  const width = 100 / Math.max(mods.length, 1);
  return (
    <svg
      width="100%"
      height="14"
      viewBox="0 0 100 14"
      preserveAspectRatio="none"
      role="img"
      aria-label={`${inside.size} of ${mods.length} mods`}
    >
      {mods.map((mod, at) => (
        <rect
          key={mod}
          x={at * width + width * 0.08}
          y={culprits.has(mod) ? 0 : 2}
          width={width * 0.84}
          height={culprits.has(mod) ? 14 : 10}
          fill={
            inside.has(at)
              ? `var(--mui-palette-${culprits.has(mod) ? "error" : "primary"}-main)`
              : "var(--mui-palette-divider)"
          }
        >
          <title>{mod}</title>
        </rect>
      ))}
    </svg>
  );
}
