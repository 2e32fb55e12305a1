// What the manifest knows while it is shown: its rows as one likes to see them, which line is in hand, which are marked,
// and what the keys do. The view draws it.
import {
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type Header,
  useReactTable,
} from "@tanstack/react-table";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Edit } from "../../../api/edits";
import type { Key } from "../../../parts/keys";
import type { Editing } from "../useEditing";
import { BESIDE_INSPECTOR, columns, type Line, says } from "./columns";
import type { FromRow } from "./LineRow";
import { between, byOneStep, type Collection, grouped, type Row, toBefore } from "./rows";
import { useView, type View } from "./useView";

const PAGE = 12;

export interface Given {
  lines: Line[];
  collections: Collection[];
  inHand: string;
  take: (mod: string) => void;
  editing: Editing;
  may: boolean;
  /** What the lines are searched for. */
  asked: string;
}

export interface Manifesting {
  view: View;
  changeView: (what: Partial<View>) => void;
  headers: Header<Line, unknown>[];
  rows: Row[];
  /** Mods of the rows that are shown, in their order. */
  order: string[];
  names: Map<string, string>;
  marked: ReadonlySet<string>;
  markedLines: Line[];
  unmark: () => void;
  pressed: (event: React.KeyboardEvent, scrollTo: (mod: string) => void) => void;
  /** Before which line what is dragged would come to stand. */
  over: string;
  does: FromRow;
}

/** As `?` lists them; they work while the manifest has the focus. */
export const MANIFEST_KEYS: Key[] = [
  { key: "ArrowUp, Down, PageUp, PageDown, Home, End", does: "take another line in hand" },
  { key: "Shift Up, Down", does: "mark lines on the way" },
  { key: "x", does: "mark the line in hand" },
  { key: "mod+a", does: "mark every line that is shown" },
  { key: "Space", does: "switch off or on" },
  { key: "o", does: "make optional, or not" },
  { key: "Delete", does: "remove" },
  { key: "Alt Up, Down", does: "move earlier or later in the order" },
];

export function useManifest({ lines, collections, inHand, take, editing, may, asked }: Given): Manifesting {
  const [view, changeView] = useView();
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const [lastMark, setLastMark] = useState("");
  const [dragged, setDragged] = useState<{ mods: string[]; over: string } | null>(null);
  // Keys may come faster than the address follows: they go by this.
  const here = useRef(inHand);
  useEffect(() => {
    here.current = inHand;
  }, [inHand]);
  const table = useReactTable({
    data: lines,
    columns,
    state: {
      sorting: view.sorting,
      columnOrder: view.order,
      columnVisibility: inHand
        ? { ...view.shown, ...Object.fromEntries(BESIDE_INSPECTOR.map((id) => [id, false])) }
        : view.shown,
      globalFilter: asked,
    },
    onSortingChange: (next) => changeView({ sorting: typeof next === "function" ? next(view.sorting) : next }),
    globalFilterFn: says,
    // A line is asked once, as a whole, not once for each of its columns.
    getColumnCanGlobalFilter: (column) => column.id === "name",
    getRowId: (line) => line.mod,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
  });
  const sorted = table.getRowModel().rows;
  const rows = useMemo(
    () =>
      grouped(
        sorted.map((row) => row.original),
        view.groups,
        asked ? collections.filter((one) => sorted.some((row) => row.original.collection === one.id)) : collections,
      ),
    [sorted, view.groups, collections, asked],
  );
  const names = useMemo(() => new Map(lines.map((one) => [one.mod, one.name])), [lines]);
  const order = rows.flatMap((row) => ("line" in row ? [row.line.mod] : []));
  const markAll = (mods: string[], on?: boolean) =>
    setMarked((before) => {
      const next = new Set(before);
      for (const mod of mods) (on ?? !before.has(mod)) ? next.add(mod) : next.delete(mod);
      return next;
    });
  const inHandLine = lines.find((one) => one.mod === inHand);
  const markedLines = lines.filter((one) => marked.has(one.mod));
  const acting = (markedLines.length ? markedLines : inHandLine ? [inHandLine] : []).filter(
    (one) => one.group === "chosen",
  );
  const step = (by: number, marking: boolean, scrollTo: (mod: string) => void) => {
    const next = order[Math.min(order.length - 1, Math.max(0, order.indexOf(here.current) + by))];
    if (!next) return;
    if (marking) {
      markAll([here.current, next].filter(Boolean), true);
      setLastMark(next);
    }
    here.current = next;
    take(next);
    scrollTo(next);
  };
  const all = (edit: (line: Line) => Edit) => may && acting.length > 0 && editing.edit(...acting.map(edit));
  const STEPS: Record<string, number> = {
    ArrowDown: 1,
    ArrowUp: -1,
    PageDown: PAGE,
    PageUp: -PAGE,
    Home: -rows.length,
    End: rows.length,
  };
  const mark = (mod: string, range: boolean) => {
    markAll(range ? between(order, lastMark || inHand, mod) : [mod], range || undefined);
    setLastMark(mod);
  };
  const drop = (mod: string) => {
    const moved = dragged && toBefore(dragged.mods, mod, lines);
    setDragged(null);
    if (moved) editing.edit(moved);
  };
  const now = { take, mark, drop, marked, markedLines };
  const latest = useRef(now);
  useEffect(() => {
    latest.current = now;
  });
  const [does] = useState<FromRow>(() => ({
    take: (mod) => latest.current.take(mod),
    mark: (mod, range) => latest.current.mark(mod, range),
    start: (mod) => {
      const { marked, markedLines } = latest.current;
      setDragged({ mods: marked.has(mod) ? markedLines.map((one) => one.mod) : [mod], over: "" });
    },
    over: (mod) => setDragged((before) => (before && before.over !== mod ? { ...before, over: mod } : before)),
    drop: (mod) => latest.current.drop(mod),
  }));
  return {
    view,
    changeView,
    headers: table.getHeaderGroups()[0].headers,
    rows,
    order,
    names,
    marked,
    markedLines,
    unmark: () => setMarked(new Set()),
    pressed: (event, scrollTo) => {
      const plain = !event.ctrlKey && !event.metaKey;
      const { key } = event;
      if (event.altKey) {
        const moved =
          key === "ArrowUp" || key === "ArrowDown" ? byOneStep(key === "ArrowUp" ? -1 : 1, here.current, lines) : null;
        if (may && moved) editing.edit(moved);
        else return;
      } else if (key in STEPS) step(STEPS[key], event.shiftKey && key.startsWith("Arrow"), scrollTo);
      else if (key === "x" && plain && here.current) {
        markAll([here.current]);
        setLastMark(here.current);
      } else if (key === "a" && !plain) markAll(order, true);
      else if (key === "Delete") all((one) => ({ do: "remove", mod: one.mod }));
      else if (key === " ") {
        const on = acting.every((one) => !one.on);
        all((one) => ({ do: "switch", mod: one.mod, on }));
      } else if (key === "o" && plain) {
        const optional = !acting.every((one) => one.optional);
        all((one) => ({ do: "describe", mod: one.mod, optional }));
      } else return;
      event.preventDefault();
      event.stopPropagation();
    },
    over: dragged && !dragged.mods.includes(dragged.over) ? dragged.over : "",
    does,
  };
}
