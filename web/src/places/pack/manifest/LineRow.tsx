// biome-ignore-all lint/a11y/useSemanticElements: rows stand where the list puts them, which rows of a table cannot
// biome-ignore-all lint/a11y/useFocusableInteractive: the grid has the focus, and names the row in hand
// One line of the manifest, and the headings between lines. A row stands where the list puts it, and names itself.
import Box from "@mui/material/Box";
import { flexRender, type Header } from "@tanstack/react-table";
import { memo } from "react";
import { mono } from "../../../theme";
import { type ColumnMeta, type Line, StateMark, stateWord } from "./columns";
import type { Collection } from "./rows";

export const ROW = 32;
const MARKS = 56;

const meta = (header: Header<Line, unknown>) => header.column.columnDef.meta as ColumnMeta;

export function template(headers: Header<Line, unknown>[]): string {
  const track = (one: Header<Line, unknown>) =>
    meta(one).grows ? `minmax(${one.getSize()}px, 1fr)` : `${one.getSize()}px`;
  return `${MARKS}px ${headers.map(track).join(" ")}`;
}

export const rowId = (mod: string) => `line-${mod}`;

const placed = (at: number) => ({ transform: `translateY(${at}px)` });

const hidden = { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" } as const;

/** How rows look, said once for the whole grid: with every letter that is typed many of them are drawn. */
export const ROWS = {
  "& .line, & .head": {
    display: "grid",
    gridTemplateColumns: "var(--columns)",
    columnGap: 1,
    alignItems: "center",
    height: ROW,
    px: 1,
    borderBottom: 1,
    borderColor: "divider",
  },
  "& .line > *, & .head > *": hidden,
  "& .line, & .heading": { position: "absolute", top: 0, left: 0, right: 0 },
  "& .line": { cursor: "pointer", bgcolor: "background.paper" },
  "& .line[aria-current]": { bgcolor: "action.selected" },
  "& .line.off": { color: "text.secondary" },
  "& .line.before": { boxShadow: "inset 0 3px 0 0 currentColor" },
  "& .line .right, & .head .right": { textAlign: "right" },
  "& .line .first": { display: "flex", alignItems: "center", gap: 0.5 },
  "& .line input": { width: 16, height: 16, m: 0.5, accentColor: "var(--mui-palette-primary-main)", cursor: "pointer" },
  "& .line strong": { fontWeight: 600 },
  "& .line .mono": { fontFamily: mono, fontSize: "0.8rem" },
  "& .line .aside": { color: "info.main", ml: 0.75, fontSize: "0.8rem" },
  "& .line .why": { color: "error.main", ml: 1 },
  "& .line .to-do": { color: "warning.main" },
  "& .line .quiet": { color: "text.secondary" },
  "& .line .only-heard": { position: "absolute", width: 1, height: 1, overflow: "hidden", clipPath: "inset(50%)" },
  "& .heading": { height: ROW, display: "flex", alignItems: "flex-end", px: 1.5, pb: 0.5 },
} as const;

export function HeadRow({ headers }: { headers: Header<Line, unknown>[] }) {
  return (
    <Box
      role="row"
      className="head"
      aria-rowindex={1}
      sx={{ position: "sticky", top: 0, zIndex: 1, bgcolor: "background.default", color: "text.secondary" }}
    >
      <Box role="columnheader" aria-label="Marked, state" />
      {headers.map((header) => (
        <Head key={header.id} header={header} />
      ))}
    </Box>
  );
}

function Head({ header }: { header: Header<Line, unknown> }) {
  const sorted = header.column.getIsSorted();
  return (
    <Box
      role="columnheader"
      className={meta(header).right ? "right" : undefined}
      aria-sort={sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : "none"}
    >
      <Box
        component="button"
        type="button"
        onClick={header.column.getToggleSortingHandler()}
        sx={{
          all: "unset",
          cursor: "pointer",
          lineHeight: "24px",
          minWidth: 24,
          "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
        }}
      >
        {flexRender(header.column.columnDef.header, header.getContext())}
        {sorted && <span aria-hidden>{sorted === "asc" ? " ↓" : " ↑"}</span>}
      </Box>
    </Box>
  );
}

interface HeadingProps {
  text: string;
  at: number;
  index: number;
  span: number;
  collection?: Collection;
  /** Opens what there is to say of a collection. */
  open: () => void;
}

export function HeadingRow({ text, at, index, span, collection, open }: HeadingProps) {
  return (
    <Box role="row" className="heading" aria-rowindex={index} style={placed(at)}>
      <Box role="gridcell" aria-colspan={span} sx={{ fontWeight: 600, color: "text.secondary" }}>
        {collection ? (
          <>
            <Box component="button" type="button" tabIndex={-1} onClick={open} sx={ofCollection}>
              {text}
            </Box>
            {collection.newer && (
              <Box component="span" sx={{ color: "warning.main", ml: 1, fontWeight: 400 }}>
                ↑ {collection.newer}
              </Box>
            )}
            {collection.otherwise.length > 0 && (
              <Box component="span" sx={{ ml: 1, fontWeight: 400 }}>
                {collection.otherwise.length} otherwise here
              </Box>
            )}
            {(collection.withdrawn || collection.misfit) && (
              <Box component="span" sx={{ color: "warning.main", ml: 1, fontWeight: 400 }}>
                ◆ {collection.withdrawn ? "withdrawn" : "does not suit this base"}
              </Box>
            )}
          </>
        ) : (
          text
        )}
      </Box>
    </Box>
  );
}

const ofCollection = {
  all: "unset",
  cursor: "pointer",
  minHeight: 24,
  textDecoration: "underline",
  textDecorationColor: "color-mix(in srgb, currentColor 40%, transparent)",
  textUnderlineOffset: "3px",
} as const;

/** What is done from a row; the same for all of them, and for as long as the manifest is shown. */
export interface FromRow {
  take: (mod: string) => void;
  mark: (mod: string, range: boolean) => void;
  /** A line, with all that are marked where it is one of them, is taken up; is over another; is let go there. */
  start: (mod: string) => void;
  over: (mod: string) => void;
  drop: (mod: string) => void;
}

interface Props {
  line: Line;
  at: number;
  index: number;
  headers: Header<Line, unknown>[];
  names: Map<string, string>;
  inHand: boolean;
  marked: boolean;
  /** It may be dragged to another place in the order. */
  movable: boolean;
  /** What is dragged would come to stand before it. */
  before: boolean;
  does: FromRow;
}

const isLine = (event: React.DragEvent) => event.dataTransfer.types.includes("text/x-line");

export const LineRow = memo(function LineRow(props: Props) {
  const { line, at, index, headers, names, inHand, marked, movable, before, does } = props;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the grid has the focus, and its keys do the same
    <div
      role="row"
      id={rowId(line.mod)}
      className={["line", line.on ? "" : "off", before ? "before" : ""].join(" ")}
      aria-rowindex={index}
      aria-selected={marked}
      aria-current={inHand || undefined}
      aria-label={[line.name, line.version, stateWord(line)].filter(Boolean).join(", ")}
      data-line={line.mod}
      draggable={movable}
      onDragStart={(event) => {
        event.dataTransfer.effectAllowed = "move";
        event.dataTransfer.setData("text/x-line", line.mod);
        if (movable) does.start(line.mod);
      }}
      onDragOver={(event) => {
        if (!movable || !isLine(event)) return;
        event.preventDefault();
        does.over(line.mod);
      }}
      onDrop={(event) => {
        if (!movable || !isLine(event)) return;
        event.preventDefault();
        event.stopPropagation();
        does.drop(line.mod);
      }}
      onClick={() => does.take(line.mod)}
      style={placed(at)}
    >
      <div role="gridcell" className="first">
        <input
          type="checkbox"
          checked={marked}
          readOnly
          tabIndex={-1}
          aria-label={`Mark ${line.name}`}
          onClick={(event) => {
            event.stopPropagation();
            does.mark(line.mod, event.shiftKey);
          }}
        />
        <StateMark line={line} />
      </div>
      {headers.map((header) => (
        <div role="gridcell" key={header.id} className={meta(header).right ? "right" : undefined}>
          {meta(header).cell(line, names)}
        </div>
      ))}
    </div>
  );
});
