// One trial: how it went in a sentence, why, what can be done about it, what became of each mod, and the log.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import { trialLog, useChange, usePack, useTrial } from "../../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../../parts/notices";
import { type Option, Pick } from "../../../parts/Pick";
import { many, when } from "../../../parts/words";
import { LastEdit } from "../LastEdit";
import { RehearsalDialog } from "../Rehearsal";
import { useEditing } from "../useEditing";
import { Logs } from "./Logs";
import { called, FateMark, isOpen, verdict } from "./said";
import { Ways } from "./Ways";

type One = Shape["TrialOut"];

export default function Trial() {
  const { packId = "", trialId = "" } = useParams();
  const found = useTrial(packId, trialId);
  const may = usePack(packId).data?.role !== "member";
  return (
    <Loaded query={found} rows={10}>
      {(one) => (
        <>
          <Head packId={packId} one={one} may={may} />
          {one.outcome && (
            <>
              <Cause packId={packId} one={one} outcome={one.outcome} may={may} />
              <NarrowDown packId={packId} one={one} outcome={one.outcome} may={may} />
              <Figures one={one} outcome={one.outcome} />
              <Fates packId={packId} one={one} />
              <Reports one={one} />
              <Logs
                last={trialLog(packId, trialId)}
                good={one.outcome.against ? trialLog(packId, one.outcome.against) : null}
                severity={one.outcome.came_up ? "warning" : "information"}
                leftOut={one.outcome.left_out}
                names={namesOf(one)}
              />
            </>
          )}
        </>
      )}
    </Loaded>
  );
}

/** What the game wrote where it fell. */
function Reports({ one }: { one: One }) {
  return one.reports.map((report) => (
    <Box key={report.path} component="details" open sx={{ my: 1.5 }}>
      <summary>
        Crash report <code>{report.path}</code>
      </summary>
      <Box
        component="pre"
        tabIndex={0}
        aria-label={`Crash report ${report.path}`}
        sx={{ m: 0, p: 1, maxHeight: 240, overflow: "auto", fontSize: "0.8rem", bgcolor: "background.paper" }}
      >
        {report.text}
      </Box>
    </Box>
  ));
}

const namesOf = (one: One) => Object.fromEntries(one.fates.map((fate) => [fate.mod, fate.name]));

function Head({ packId, one, may }: { packId: string; one: One; may: boolean }) {
  const { text, tone } = verdict(one);
  const go = useNavigate();
  const at = { params: { path: { pack_id: packId, trial_id: one.id } } };
  const drop = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/trials/{trial_id}", at)),
    ["pack", packId, "trials"],
  );
  const pin = useChange(
    () => told(api.PATCH("/api/packs/{pack_id}/trials/{trial_id}", { ...at, body: { pinned: !one.pinned } })),
    ["pack", packId, "trials"],
  );
  return (
    <Box component="header" sx={{ mb: 1.5 }}>
      <Link component={RouterLink} to={`/packs/${packId}/check/bench`} sx={{ fontSize: "0.9rem" }}>
        All trials
      </Link>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h2" component="h1" sx={{ flex: 1, minWidth: 260 }}>
          {text}
        </Typography>
        {may && !isOpen(one) && (
          <Button size="small" disabled={pin.isPending} onClick={() => pin.mutate(undefined)}>
            {one.pinned ? "Keep it no longer" : "Keep it for good"}
          </Button>
        )}
        {may && (
          <Button
            size="small"
            disabled={drop.isPending}
            onClick={() =>
              drop.mutate(undefined, { onSuccess: () => isOpen(one) || go(`/packs/${packId}/check/bench`) })
            }
          >
            {isOpen(one) ? "Stop it" : "Forget it"}
          </Button>
        )}
      </Box>
      <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
        {called(one)}, asked for by {one.by}, {when(one.at)}.{" "}
        {!one.number && !one.is_current && "The draft was changed since."}
      </Box>
      {isOpen(one) && (
        <LinearProgress
          aria-label="How far it is"
          variant={one.done ? "determinate" : "indeterminate"}
          value={one.total ? Math.min(100, (100 * one.done) / one.total) : 0}
          color={tone === "info" ? "info" : "primary"}
          sx={{ mt: 1 }}
        />
      )}
      <RefusalRemark error={drop.error ?? pin.error} />
    </Box>
  );
}

function Cause({
  packId,
  one,
  outcome,
  may,
}: {
  packId: string;
  one: One;
  outcome: Shape["OutcomeOfTrial"];
  may: boolean;
}) {
  const editing = useEditing(packId);
  if (!outcome.cause)
    return outcome.last ? (
      <Box sx={{ mb: 2 }}>
        <Remark tone="warning" live={false}>
          <strong>{outcome.last}</strong>
        </Remark>
      </Box>
    ) : null;
  return (
    <Box sx={{ mb: 2 }}>
      <LastEdit editing={editing} />
      <RehearsalDialog editing={editing} />
      <Remark tone="error" live={false}>
        <strong>{outcome.cause.sentence}</strong>
        {may && !one.number && <Ways ways={one.ways} editing={editing} />}
      </Remark>
    </Box>
  );
}

const OFTEN: Option[] = [
  { value: "1", name: "It fails every time" },
  { value: "0.5", name: "About one start in two" },
  { value: "0.3", name: "About three starts in ten" },
];

/** Asks the bench which mods it takes; or leads to where that was found. */
function NarrowDown({
  packId,
  one,
  outcome,
  may,
}: {
  packId: string;
  one: One;
  outcome: Shape["OutcomeOfTrial"];
  may: boolean;
}) {
  const go = useNavigate();
  const [chance, setChance] = useState("1");
  const place = (id: string) => `/packs/${packId}/check/bench/narrowing/${id}`;
  const ask = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/trials/{trial_id}/narrowing", {
          params: { path: { pack_id: packId, trial_id: one.id } },
          body: { chance: Number(chance) },
        }),
      ),
    ["pack", packId, "trials"],
  );
  if (outcome.came_up && outcome.ended !== "crashed") return null;
  return (
    <Box sx={{ mb: 1, display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
      {one.narrowing && (
        <Link component={RouterLink} to={place(one.narrowing)}>
          How it was narrowed down
        </Link>
      )}
      {may && (one.is_current || one.number) && (
        <>
          <Pick label="How often" value={chance} options={OFTEN} onChange={setChance} sx={{ width: 220 }} />
          <Button
            variant="outlined"
            size="small"
            disabled={ask.isPending}
            onClick={() => ask.mutate(undefined, { onSuccess: (made) => go(place(made.id)) })}
          >
            Find which mods it takes
          </Button>
        </>
      )}
      <RefusalRemark error={ask.error} />
    </Box>
  );
}

function Figures({ one, outcome }: { one: One; outcome: Shape["OutcomeOfTrial"] }) {
  const rows: [string, string][] = [
    ["Main screen", outcome.to_main_screen === null ? "never" : `after ${outcome.to_main_screen.toFixed(1)} s`],
    ["Ran for", `${outcome.seconds.toFixed(1)} s`],
    ["Memory at most", `${outcome.memory_mb} MB`],
    [
      "Log",
      `${many(outcome.lines, "line")}: ${many(outcome.counts.error ?? 0, "error")}, ${many(outcome.counts.warning ?? 0, "warning")}`,
    ],
    [
      "Against the last good run",
      outcome.against ? `${outcome.new} new, ${outcome.gone} not said any more` : "there was none before",
    ],
  ];
  return (
    <Box sx={{ mb: 2 }}>
      <Box
        component="dl"
        sx={{ display: "grid", gridTemplateColumns: { xs: "1fr 1fr", md: "repeat(5, auto)" }, gap: 2, m: 0, py: 1 }}
      >
        {rows.map(([name, value]) => (
          <Box key={name}>
            <Box component="dt" sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0, fontWeight: 600 }}>
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      {outcome.new_files.length > 0 && (
        <Typography variant="body2">
          Settings that this start wrote: <code>{outcome.new_files.slice(0, 6).join(", ")}</code>
          {outcome.new_files.length > 6 && ` and ${outcome.new_files.length - 6} more`}
        </Typography>
      )}
      {one.without.length > 0 && (
        <Box sx={{ mt: 1 }}>
          <Remark tone="warning" live={false}>
            Tried without {many(one.without.length, "mod")}:{" "}
            {one.without.map((each) => `${each.name} (${each.why.replace(/\.$/, "")})`).join("; ")}.
          </Remark>
        </Box>
      )}
    </Box>
  );
}

function Fates({ packId, one }: { packId: string; one: One }) {
  const loud = one.fates.filter((each) => each.fate !== "loaded");
  const quiet = one.fates.length - loud.length;
  return (
    <Box component="section" aria-label="What became of each mod" sx={{ mb: 2 }}>
      <Typography variant="h3" component="h2" sx={{ mb: 0.5 }}>
        {quiet} of {many(one.fates.length, "mod")} came up
      </Typography>
      {loud.map((each) => (
        <Box key={each.mod} sx={{ display: "flex", gap: 1.5, py: 0.25 }}>
          <Box sx={{ width: 80 }}>
            <FateMark fate={each.fate} />
          </Box>
          <Link component={RouterLink} to={`/packs/${packId}/assemble?mod=${encodeURIComponent(each.mod)}`}>
            {each.name}
          </Link>
        </Box>
      ))}
      {quiet > 0 && (
        <Box component="details">
          <Box component="summary" sx={{ cursor: "pointer", lineHeight: "28px", color: "text.secondary" }}>
            Those that came up
          </Box>
          <Box sx={{ columns: { xs: 1, sm: 2, md: 3 }, fontSize: "0.9rem" }}>
            {one.fates
              .filter((each) => each.fate === "loaded")
              .map((each) => (
                <Box key={each.mod}>
                  <FateMark fate="loaded" /> {each.name}
                </Box>
              ))}
          </Box>
        </Box>
      )}
    </Box>
  );
}
