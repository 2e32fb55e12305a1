// How a trial is said: one sentence for how it went, and the shapes of fates and of a log's severities.
import Box from "@mui/material/Box";
import type { Shape } from "../../../api/client";

type Row = Shape["TrialRow"];

const FATES: Record<Shape["Fate"], { shape: string; colour: string }> = {
  loaded: { shape: "●", colour: "primary.main" },
  silent: { shape: "○", colour: "warning.main" },
  failed: { shape: "▬", colour: "error.main" },
};

export function FateMark({ fate }: { fate: Shape["Fate"] }) {
  const { shape, colour } = FATES[fate];
  return (
    <Box component="span" sx={{ color: colour, fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden>{shape}</span> {fate}
    </Box>
  );
}

const LOUDNESS: Record<Shape["EntrySeverity"], { shape: string; colour: string }> = {
  debug: { shape: "·", colour: "text.secondary" },
  information: { shape: "–", colour: "text.secondary" },
  warning: { shape: "◆", colour: "warning.main" },
  error: { shape: "▬", colour: "error.main" },
  fatal: { shape: "■", colour: "error.main" },
};

export function LoudnessMark({ severity }: { severity: Shape["EntrySeverity"] }) {
  const { shape, colour } = LOUDNESS[severity];
  return (
    <Box component="span" sx={{ color: colour, fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden>{shape}</span> {severity}
    </Box>
  );
}

export const isOpen = (one: Row) => one.state === "waits" || one.state === "working";

/** What became of it, in a few words. */
export function verdict(one: Row): { text: string; tone: "primary" | "warning" | "error" | "info" } {
  if (one.state === "waits") {
    const left = one.seconds_left ? `, about ${Math.max(1, Math.round(one.seconds_left))} s` : "";
    return { text: one.before ? `Waits: ${one.before} before it${left}` : "Its turn is next", tone: "info" };
  }
  if (one.state === "working") return { text: "Being tried", tone: "info" };
  if (one.state === "stopped") return { text: "Stopped before its end", tone: "info" };
  if (one.state === "failed" || !one.outcome) return { text: one.told || "It could not be tried", tone: "warning" };
  const { came_up, ended, stopped, to_main_screen } = one.outcome;
  if (came_up && ended === "crashed") return { text: "Reached the main screen, then crashed", tone: "error" };
  if (came_up) return { text: `Reached the main screen after ${to_main_screen?.toFixed(1)} s`, tone: "primary" };
  if (ended === "crashed") return { text: "Crashed before the main screen", tone: "error" };
  return { text: `Never reached the main screen${stopped ? `: ${stopped}` : ""}`, tone: "error" };
}

export const called = (one: Row) => (one.number ? `Release ${one.number}` : "The draft");
