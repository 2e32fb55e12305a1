// What the trade's words mean, where they stand: sides, reaches and pickups, in a few words each.
import type { Shape } from "../api/client";

type Line = Shape["BuildOut"];

export const SIDES: Record<Line["side"], string> = {
  both: "players and server have it",
  player: "players alone have it",
  server: "the server alone has it",
};

export const REACHES: Record<Line["reach"], string> = {
  crew: "everyone must have the same",
  own: "touches only who has it",
  save: "the saved world depends on it",
};

export const PICKUPS: Record<Shape["FinderRow"]["pickup"], string> = {
  direct: "it is fetched by itself",
  ours: "the crew hands it out itself",
  click: "each member confirms a download on its page",
  "by hand": "each member downloads it from its page",
  withheld: "its source gives nothing to programs; each member downloads it",
};

/** Needs and breaks of a build, by name: `Weir Core >=1.3`. */
export const related = (mods: Record<string, string>, names: Record<string, string>) =>
  Object.entries(mods).map(([mod, range]) => `${names[mod] ?? mod} ${range === "*" ? "" : range}`.trim());

export const sentence = (text: string) => `${text[0].toUpperCase()}${text.slice(1)}.`;
