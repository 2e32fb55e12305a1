// What the manifest can show of a line: one entry per column, in the order in which they stand at first.
import type { ColumnDef, FilterFn } from "@tanstack/react-table";
import type { Shape } from "../../../api/client";
import { PICKUPS, REACHES, SIDES } from "../../../parts/meanings";
import { bytes, day } from "../../../parts/words";

export type Line = Shape["LineOut"];

const SHAPES: Record<Line["state"], { shape: string; colour: string; word: string }> = {
  settled: { shape: "●", colour: "primary-main", word: "has a build" },
  unsettled: { shape: "▬", colour: "error-main", word: "without a build" },
  kept: { shape: "◌", colour: "warning-main", word: "off, and kept because others need it" },
  off: { shape: "○", colour: "text-secondary", word: "off" },
};

interface Shown {
  id: string;
  head: string;
  width: number;
  /** Grows with the room that is left. */
  grows?: boolean;
  value: (line: Line) => string | number;
  cell?: (line: Line, names: Map<string, string>) => React.ReactNode;
  right?: boolean;
  /** Not shown until it is asked for. */
  extra?: boolean;
}

const COLUMNS: Shown[] = [
  { id: "order", head: "Order", width: 48, value: (one) => one.order, cell: (one) => one.order || "", right: true },
  { id: "name", head: "Name", width: 140, grows: true, value: (one) => one.name.toLowerCase(), cell: Name },
  { id: "version", head: "Build", width: 84, value: (one) => one.version, cell: Build },
  { id: "newer", head: "Newer", width: 74, value: (one) => one.newer, cell: Newer },
  { id: "kind", head: "Kind", width: 82, value: (one) => one.kind },
  { id: "side", head: "Side", width: 56, value: (one) => one.side, cell: Side },
  { id: "reach", head: "Reach", width: 52, value: (one) => one.reach, cell: Reach },
  {
    id: "size",
    head: "Size",
    width: 66,
    value: (one) => one.size,
    cell: (one) => one.size > 0 && bytes(one.size),
    right: true,
  },
  { id: "pickup", head: "Pickup", width: 68, value: (one) => one.pickup, cell: Pickup },
  { id: "needed", head: "Needed by", width: 96, grows: true, value: (one) => one.needed_by.length, cell: NeededBy },
  {
    id: "optional",
    head: "Optional",
    width: 70,
    value: (one) => Number(one.optional),
    cell: (one) => one.optional && "optional",
    extra: true,
  },
  { id: "category", head: "Category", width: 100, value: (one) => one.category, extra: true },
  { id: "channel", head: "Channel", width: 66, value: (one) => one.channel, extra: true },
  { id: "licence", head: "Licence", width: 96, value: (one) => one.licence, extra: true },
  {
    id: "updated",
    head: "Last build",
    width: 92,
    value: (one) => one.updated ?? "",
    cell: (one) => one.updated && day(one.updated),
    extra: true,
  },
  { id: "tags", head: "Tags", width: 100, value: (one) => one.tags.join(", "), extra: true },
  { id: "note", head: "Note", width: 140, grows: true, value: (one) => one.note, extra: true },
];

export const HEADS = COLUMNS.map(({ id, head }) => ({ id, head }));
export const EXTRA = COLUMNS.filter((one) => one.extra).map((one) => one.id);
export const FIRST_ORDER = COLUMNS.map((one) => one.id);
/** With a mod in hand the inspector tells these, and takes their room. */
export const BESIDE_INSPECTOR = ["order", "kind", "pickup", "needed", "side", "reach"];

export interface ColumnMeta {
  grows: boolean;
  right: boolean;
  cell: (line: Line, names: Map<string, string>) => React.ReactNode;
}

export const columns: ColumnDef<Line>[] = COLUMNS.map((one) => ({
  id: one.id,
  header: one.head,
  size: one.width,
  accessorFn: one.value,
  sortUndefined: "last",
  meta: { grows: !!one.grows, right: !!one.right, cell: one.cell ?? one.value } satisfies ColumnMeta,
}));

const said = new WeakMap<Line, string>();

/** Everything that a line says, for searching; written once for each line. */
function saidBy(one: Line): string {
  let text = said.get(one);
  if (text === undefined) {
    const words = [
      one.name,
      one.mod,
      one.version,
      one.kind,
      one.category,
      ...one.tags,
      one.note,
      one.pickup,
      one.licence,
    ];
    words.push(one.state, one.side, one.reach, one.group);
    if (one.held) words.push("held");
    if (one.verdict) words.push("tried");
    if (!one.on) words.push("off");
    if (one.optional) words.push("optional");
    if (one.newer) words.push("newer");
    if (one.errand) words.push("errand");
    text = words.join(" ").toLowerCase();
    said.set(one, text);
  }
  return text;
}

/** Searching within the manifest: every word must occur somewhere in what a line says. */
export const says: FilterFn<Line> = (row, _column, asked: string) =>
  asked
    .toLowerCase()
    .split(/\s+/)
    .every((word) => saidBy(row.original).includes(word));

export const stateWord = (line: Line) => SHAPES[line.state].word;

// What follows is drawn for every row that is in view, with each letter that is typed and each turn of the wheel: plain
// elements, whose look is `ROWS` in LineRow.tsx.
export function StateMark({ line }: { line: Line }) {
  const shape = SHAPES[line.state];
  return (
    <span style={{ color: `var(--mui-palette-${shape.colour})` }}>
      <span aria-hidden>{shape.shape}</span>
      <span className="only-heard">{shape.word}</span>
    </span>
  );
}

function Name(line: Line) {
  return (
    <span title={line.why || line.summary}>
      <strong>{line.name}</strong>
      {line.optional && <Aside>optional</Aside>}
      {line.state === "kept" && <Aside>off, but needed</Aside>}
      {line.tags.map((tag) => (
        <Aside key={tag}>#{tag}</Aside>
      ))}
      {line.why && <span className="why">{line.why}</span>}
    </span>
  );
}

function Aside({ children }: { children: React.ReactNode }) {
  return <span className="aside">{children}</span>;
}

function Build(line: Line) {
  return (
    <span className="mono" title={[line.held_because, line.verdict].filter(Boolean).join("; ") || undefined}>
      {line.version}
      {line.held && <Aside>held</Aside>}
      {line.verdict && <Aside>tried</Aside>}
    </span>
  );
}

function Newer(line: Line) {
  return line.newer && <span className="mono to-do">↑ {line.newer}</span>;
}

/** A word of the trade says what it means when one stays on it. */
function Side(line: Line) {
  return line.side && <span title={SIDES[line.side]}>{line.side}</span>;
}

function Reach(line: Line) {
  return line.reach && <span title={REACHES[line.reach]}>{line.reach}</span>;
}

function Pickup(line: Line) {
  return (
    <span title={line.pickup ? PICKUPS[line.pickup] : undefined} className={line.errand ? "to-do" : undefined}>
      {line.pickup}
    </span>
  );
}

function NeededBy(line: Line, names: Map<string, string>) {
  const called = (mods: string[]) => mods.map((mod) => names.get(mod) ?? mod).join(", ");
  const off = line.needed_by.length ? "" : called(line.kept_for);
  const text = off ? `only by what is off: ${off}` : called(line.needed_by);
  return (
    <span className="quiet" title={text}>
      {text}
    </span>
  );
}
