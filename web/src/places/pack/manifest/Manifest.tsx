// The manifest: the pack's lines in a dense table, grouped, sorted and searched as one likes. Only the rows in view
// are drawn. Everything works by keyboard: one row is in hand, any number can be marked.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import TextField from "@mui/material/TextField";
import {
  flexRender,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type Header,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import { Hidden } from "../../../parts/marks";
import { Empty } from "../../../parts/notices";
import type { Editing } from "../useEditing";
import { Bulk } from "./Bulk";
import { BESIDE_INSPECTOR, type ColumnMeta, columns, type Line, StateMark, says } from "./columns";
import { useView, type View } from "./useView";
import { ViewMenu } from "./ViewMenu";

type Row = { heading: string } | { line: Line };

const ROW = 32;
const MARKS = 52;

interface Props {
  lines: Line[];
  inHand: string;
  take: (mod: string) => void;
  editing: Editing;
  may: boolean;
  /** What the lines are searched for. */
  asked: string;
  ask: (text: string) => void;
}

export function Manifest({ lines, inHand, take, editing, may, asked, ask }: Props) {
  const [view, changeView] = useView();
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const scroller = useRef<HTMLDivElement>(null);
  // Keys may come faster than the address follows: they go by this.
  const here = useRef(inHand);
  useEffect(() => {
    here.current = inHand;
  }, [inHand]);
  const narrow = inHand !== "";
  const table = useReactTable({
    data: lines,
    columns,
    state: {
      sorting: view.sorting,
      columnOrder: view.order,
      columnVisibility: narrow
        ? { ...view.shown, ...Object.fromEntries(BESIDE_INSPECTOR.map((id) => [id, false])) }
        : view.shown,
      globalFilter: asked,
    },
    onSortingChange: (next) => changeView({ sorting: typeof next === "function" ? next(view.sorting) : next }),
    globalFilterFn: says,
    getColumnCanGlobalFilter: () => true,
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
      ),
    [sorted, view.groups],
  );
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const names = useMemo(() => new Map(lines.map((one) => [one.mod, one.name])), [lines]);
  if (lines.length === 0) {
    return (
      <Empty title="The pack is empty">
        Find a mod on the left and add it, or paste a list. What a mod needs comes in with it, in versions that fit, and
        leaves again when nothing needs it any more.
      </Empty>
    );
  }
  const headers = table.getHeaderGroups()[0].headers;
  const template = `${MARKS}px ${headers.map((one) => track(one)).join(" ")}`;
  const order = rows.flatMap((row) => ("line" in row ? [row.line.mod] : []));
  const mark = (mods: string[], on?: boolean) =>
    setMarked((before) => {
      const next = new Set(before);
      for (const mod of mods) (on ?? !before.has(mod)) ? next.add(mod) : next.delete(mod);
      return next;
    });
  const step = (by: number, marking: boolean) => {
    const next = order[Math.min(order.length - 1, Math.max(0, order.indexOf(here.current) + by))];
    if (!next) return;
    if (marking) mark([here.current, next].filter(Boolean), true);
    here.current = next;
    take(next);
    virtual.scrollToIndex(rows.findIndex((row) => "line" in row && row.line.mod === next));
  };
  const inHandLine = lines.find((one) => one.mod === inHand);
  const markedLines = lines.filter((one) => marked.has(one.mod));
  const acting = (markedLines.length ? markedLines : inHandLine ? [inHandLine] : []).filter(
    (one) => one.group === "chosen",
  );
  const pressed = (event: React.KeyboardEvent) => {
    if (event.target !== scroller.current) return;
    const plain = !event.ctrlKey && !event.metaKey;
    if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
      if (may && inHandLine) moveBy(event.key === "ArrowUp" ? -1 : 1, inHandLine, lines, editing);
    } else if (event.key === "ArrowDown") step(1, event.shiftKey);
    else if (event.key === "ArrowUp") step(-1, event.shiftKey);
    else if (event.key === "PageDown") step(12, false);
    else if (event.key === "PageUp") step(-12, false);
    else if (event.key === "Home") step(-rows.length, false);
    else if (event.key === "End") step(rows.length, false);
    else if (event.key === "x" && plain && here.current) mark([here.current]);
    else if (event.key === "a" && !plain) mark(order, true);
    else if (event.key === "Delete" && may && acting.length)
      editing.edit(...acting.map((one) => ({ do: "remove" as const, mod: one.mod })));
    else if (event.key === " " && may && acting.length) {
      const on = acting.every((one) => one.state === "off");
      editing.edit(...acting.map((one) => ({ do: "switch" as const, mod: one.mod, on })));
    } else if (event.key === "o" && plain && may && acting.length) {
      const optional = !acting.every((one) => one.optional);
      editing.edit(...acting.map((one) => ({ do: "describe" as const, mod: one.mod, optional })));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, height: 44, flex: "none" }}>
        {may && markedLines.length > 0 ? (
          <Bulk marked={markedLines} editing={editing} clear={() => setMarked(new Set())} />
        ) : (
          <>
            <TextField
              id="manifest-search"
              label="Search these lines"
              value={asked}
              onChange={(event) => ask(event.target.value)}
              onKeyDown={(event) => event.key === "ArrowDown" && scroller.current?.focus()}
              sx={{ maxWidth: 260 }}
            />
            <Box component="span" sx={{ color: "text.secondary", fontSize: "0.85rem", flex: 1 }} aria-live="polite">
              {asked && `${order.length} of ${lines.length}`}
            </Box>
            <ViewMenu view={view} change={changeView} />
          </>
        )}
      </Box>
      <Box
        ref={scroller}
        id="manifest"
        role="table"
        aria-label="Lines of the draft"
        aria-rowcount={rows.length + 1}
        tabIndex={0}
        onKeyDown={pressed}
        sx={{ flex: 1, overflow: "auto", minHeight: 200, fontSize: "0.86rem" }}
      >
        <Box role="row" sx={{ ...grid, ...headRow, gridTemplateColumns: template }}>
          <Box role="columnheader">
            <Hidden>Marked, state</Hidden>
          </Box>
          {headers.map((header) => (
            <Head key={header.id} header={header} />
          ))}
        </Box>
        <Box role="rowgroup" sx={{ height: virtual.getTotalSize(), position: "relative" }}>
          {virtual.getVirtualItems().map((item) => {
            const row = rows[item.index];
            return (
              <Box
                key={item.key}
                sx={{ position: "absolute", top: 0, left: 0, right: 0, transform: `translateY(${item.start}px)` }}
              >
                {"heading" in row ? (
                  <Heading text={row.heading} />
                ) : (
                  <LineRow
                    line={row.line}
                    template={template}
                    headers={headers}
                    names={names}
                    inHand={inHand === row.line.mod}
                    marked={marked.has(row.line.mod)}
                    take={take}
                    mark={(range) =>
                      mark(range ? between(order, inHand, row.line.mod) : [row.line.mod], range || undefined)
                    }
                  />
                )}
              </Box>
            );
          })}
        </Box>
      </Box>
    </>
  );
}

const grid = {
  display: "grid",
  columnGap: 1,
  alignItems: "center",
  height: ROW,
  px: 1,
  "& > *": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
};

const headRow = {
  position: "sticky",
  top: 0,
  zIndex: 1,
  bgcolor: "background.default",
  color: "text.secondary",
  borderBottom: 1,
  borderColor: "divider",
};

const meta = (header: Header<Line, unknown>) => header.column.columnDef.meta as ColumnMeta;

function track(header: Header<Line, unknown>): string {
  return meta(header).grows ? `minmax(${header.getSize()}px, 1fr)` : `${header.getSize()}px`;
}

function between(order: string[], from: string, to: string): string[] {
  const [a, b] = [order.indexOf(from), order.indexOf(to)];
  return a < 0 ? [to] : order.slice(Math.min(a, b), Math.max(a, b) + 1);
}

/** Earlier or later among the chosen lines; what is laid down later wins. */
function moveBy(by: number, line: Line, lines: Line[], editing: Editing) {
  const chosen = lines.filter((one) => one.group === "chosen").sort((a, b) => a.order - b.order);
  const at = chosen.indexOf(line);
  const before = chosen[by < 0 ? at - 1 : at + 2];
  if (at < 0 || (by < 0 && at === 0) || (by > 0 && at === chosen.length - 1)) return;
  editing.edit({ do: "move", mods: [line.mod], before: before?.mod ?? "" });
}

function grouped(lines: Line[], by: View["groups"]): Row[] {
  const groups = new Map<string, Line[]>();
  const name = (one: Line) => {
    if (one.state === "unsettled") return "Without a build";
    if (one.state === "off") return "Off";
    if (by === "category") return one.category || "No category";
    return one.group === "chosen" ? (one.pickup === "ours" ? "Ours" : "Chosen") : "Brought in";
  };
  for (const line of lines) groups.set(name(line), [...(groups.get(name(line)) ?? []), line]);
  const fixed = ["Without a build", "Chosen", "Ours", "Brought in"];
  const rank = (group: string) => (group === "Off" ? 99 : fixed.includes(group) ? fixed.indexOf(group) : 50);
  return [...groups.entries()]
    .sort(([a], [b]) => rank(a) - rank(b) || a.localeCompare(b))
    .flatMap(([group, rows]) => [{ heading: `${group} (${rows.length})` }, ...rows.map((line) => ({ line }))]);
}

function Heading({ text }: { text: string }) {
  return (
    <Box role="row" sx={{ height: ROW, display: "flex", alignItems: "flex-end", px: 1.5, pb: 0.5 }}>
      <Box role="cell" sx={{ fontWeight: 600, color: "text.secondary" }}>
        {text}
      </Box>
    </Box>
  );
}

function Head({ header }: { header: Header<Line, unknown> }) {
  const sorted = header.column.getIsSorted();
  return (
    <Box
      role="columnheader"
      aria-sort={sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : "none"}
      sx={{ textAlign: meta(header).right ? "right" : undefined }}
    >
      <Box
        component="button"
        type="button"
        onClick={header.column.getToggleSortingHandler()}
        sx={{
          all: "unset",
          cursor: "pointer",
          "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
        }}
      >
        {flexRender(header.column.columnDef.header, header.getContext())}
        {sorted && <span aria-hidden>{sorted === "asc" ? " ↓" : " ↑"}</span>}
      </Box>
    </Box>
  );
}

interface RowProps {
  line: Line;
  template: string;
  headers: Header<Line, unknown>[];
  names: Map<string, string>;
  inHand: boolean;
  marked: boolean;
  take: (mod: string) => void;
  mark: (range: boolean) => void;
}

function LineRow({ line, template, headers, names, inHand, marked, take, mark }: RowProps) {
  return (
    <Box
      role="row"
      aria-selected={inHand}
      data-line={line.mod}
      onClick={() => take(line.mod)}
      sx={{
        ...grid,
        gridTemplateColumns: template,
        cursor: "pointer",
        borderBottom: 1,
        borderColor: "divider",
        bgcolor: inHand ? "action.selected" : "background.paper",
        color: line.state === "off" ? "text.secondary" : undefined,
      }}
    >
      <Box role="cell" sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
        <Checkbox
          size="small"
          sx={{ p: 0 }}
          checked={marked}
          tabIndex={-1}
          onClick={(event) => {
            event.stopPropagation();
            mark(event.shiftKey);
          }}
          slotProps={{ input: { "aria-label": `Mark ${line.name}` } }}
        />
        <StateMark line={line} />
      </Box>
      {headers.map((header) => (
        <Box role="cell" key={header.id} sx={{ textAlign: meta(header).right ? "right" : undefined }}>
          {meta(header).cell(line, names)}
        </Box>
      ))}
    </Box>
  );
}
