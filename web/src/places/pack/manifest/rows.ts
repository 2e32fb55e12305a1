// The manifest's rows: lines under headings, stretches of lines, and where a line that is moved comes to stand.
import type { Shape } from "../../../api/client";
import type { Edit } from "../../../api/edits";
import type { Line } from "./columns";
import type { View } from "./useView";

export type Collection = Shape["CollectionOut"];

/** A heading of a collection names it: what it lays under the pack is looked at from there. */
export type Row = { heading: string; collection?: Collection } | { line: Line };

const FIXED = ["Without a build", "Chosen", "Ours", "Brought in"];

function groupOf(line: Line, by: View["groups"]): string {
  if (line.state === "unsettled") return "Without a build";
  if (!line.on) return "Off";
  if (by === "category") return line.category || "No category";
  if (line.group === "collection") return line.collection;
  return line.group === "chosen" ? (line.pickup === "ours" ? "Ours" : "Chosen") : "Brought in";
}

export function grouped(lines: Line[], by: View["groups"], collections: Collection[] = []): Row[] {
  const known = new Map(collections.map((one) => [one.id, one]));
  const groups = new Map<string, Line[]>(by === "part" ? collections.map((one) => [one.id, []]) : []);
  for (const line of lines) {
    const group = groupOf(line, by);
    const there = groups.get(group);
    if (there) there.push(line);
    else groups.set(group, [line]);
  }
  const order = collections.map((one) => one.id);
  const rank = (group: string) => {
    if (group === "Off") return 99;
    // What collections bring stands between what was chosen and what came along, in their order.
    if (known.has(group)) return 2 + (order.indexOf(group) + 1) / (order.length + 1);
    return FIXED.includes(group) ? FIXED.indexOf(group) : 50;
  };
  return [...groups.entries()]
    .sort(([a], [b]) => rank(a) - rank(b) || a.localeCompare(b))
    .flatMap(([group, rows]): Row[] => {
      const collection = known.get(group);
      const name = collection ? `${collection.name} ${collection.number}` : group;
      return [{ heading: `${name} (${rows.length})`, collection }, ...rows.map((line) => ({ line }))];
    });
}

/** The stretch of lines from one to another, in the order in which they stand; the other alone where the one is gone. */
export function between(order: string[], from: string, to: string): string[] {
  const [a, b] = [order.indexOf(from), order.indexOf(to)];
  return a < 0 ? [to] : order.slice(Math.min(a, b), Math.max(a, b) + 1);
}

/** Chosen lines in the order in which they are laid down: on one path the later wins. */
export const inOrder = (lines: Line[]) =>
  lines.filter((one) => one.group === "chosen").sort((a, b) => a.order - b.order);

/** Lines as a move leaves them: shown until the site has answered. */
export function moved(lines: Line[], { mods, before }: { mods: string[]; before?: string }): Line[] {
  const moving = new Set(mods);
  const chosen = inOrder(lines);
  const staying = chosen.filter((one) => !moving.has(one.mod));
  const found = before ? staying.findIndex((one) => one.mod === before) : -1;
  const at = found < 0 ? staying.length : found;
  const order = [...staying.slice(0, at), ...chosen.filter((one) => moving.has(one.mod)), ...staying.slice(at)];
  return [
    ...order.map((line, index) => (line.order === index + 1 ? line : { ...line, order: index + 1 })),
    ...lines.filter((one) => one.group !== "chosen"),
  ];
}

/** Moves lines to a place, counted from 1 among the chosen lines; null where they stand there already. */
export function toPlace(mods: string[], place: number, lines: Line[]): Edit | null {
  const chosen = inOrder(lines).map((one) => one.mod);
  const staying = chosen.filter((one) => !mods.includes(one));
  const at = Math.min(Math.max(Math.round(place), 1), staying.length + 1) - 1;
  const moved = [...staying.slice(0, at), ...chosen.filter((one) => mods.includes(one)), ...staying.slice(at)];
  if (!mods.length || moved.join() === chosen.join()) return null;
  return { do: "move", mods, before: staying[at] ?? "" };
}

/** Moves lines so that they stand right before another one. */
export function toBefore(mods: string[], before: string, lines: Line[]): Edit | null {
  const staying = inOrder(lines).filter((one) => !mods.includes(one.mod));
  const at = staying.findIndex((one) => one.mod === before);
  return at < 0 ? null : toPlace(mods, at + 1, lines);
}

/** One step earlier or later. */
export function byOneStep(by: number, mod: string, lines: Line[]): Edit | null {
  const at = inOrder(lines).findIndex((one) => one.mod === mod);
  return at < 0 ? null : toPlace([mod], at + 1 + by, lines);
}
