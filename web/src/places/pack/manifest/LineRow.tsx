// One line of the manifest, and the headings between lines. A row stands where the list puts it, and names itself.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import { flexRender, type Header } from "@tanstack/react-table";
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

const grid = {
  display: "grid",
  columnGap: 1,
  alignItems: "center",
  height: ROW,
  px: 1,
  "& > *": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
};

const placed = (at: number) => ({
  position: "absolute" as const,
  top: 0,
  left: 0,
  right: 0,
  transform: `translateY(${at}px)`,
});

export function HeadRow({ headers }: { headers: Header<Line, unknown>[] }) {
  return (
    <Box
      role="row"
      aria-rowindex={1}
      sx={{
        ...grid,
        gridTemplateColumns: template(headers),
        position: "sticky",
        top: 0,
        zIndex: 1,
        bgcolor: "background.default",
        color: "text.secondary",
        borderBottom: 1,
        borderColor: "divider",
      }}
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
    <Box
      role="row"
      aria-rowindex={index}
      sx={{ ...placed(at), height: ROW, display: "flex", alignItems: "flex-end", px: 1.5, pb: 0.5 }}
    >
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

interface Props {
  line: Line;
  at: number;
  index: number;
  headers: Header<Line, unknown>[];
  names: Map<string, string>;
  inHand: boolean;
  marked: boolean;
  take: (mod: string) => void;
  mark: (range: boolean) => void;
  /** For lines that may be dragged to another place in the order. */
  drag: { start: () => void; over: () => void; drop: () => void; here: boolean } | null;
}

export function LineRow({ line, at, index, headers, names, inHand, marked, take, mark, drag }: Props) {
  return (
    <Box
      role="row"
      id={rowId(line.mod)}
      aria-rowindex={index}
      aria-selected={marked}
      aria-current={inHand || undefined}
      aria-label={[line.name, line.version, stateWord(line)].filter(Boolean).join(", ")}
      data-line={line.mod}
      draggable={drag !== null}
      onDragStart={(event: React.DragEvent) => {
        event.dataTransfer.effectAllowed = "move";
        event.dataTransfer.setData("text/x-line", line.mod);
        drag?.start();
      }}
      onDragOver={(event: React.DragEvent) => {
        if (!drag || !event.dataTransfer.types.includes("text/x-line")) return;
        event.preventDefault();
        drag.over();
      }}
      onDrop={(event: React.DragEvent) => {
        if (!drag || !event.dataTransfer.types.includes("text/x-line")) return;
        event.preventDefault();
        event.stopPropagation();
        drag.drop();
      }}
      onClick={() => take(line.mod)}
      sx={{
        ...grid,
        ...placed(at),
        gridTemplateColumns: template(headers),
        cursor: "pointer",
        borderBottom: 1,
        borderColor: "divider",
        boxShadow: drag?.here ? "inset 0 3px 0 0 currentColor" : undefined,
        bgcolor: inHand ? "action.selected" : "background.paper",
        color: line.on ? undefined : "text.secondary",
      }}
    >
      <Box role="gridcell" sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
        <Checkbox
          size="small"
          sx={{ p: 0, width: 24, height: 24 }}
          checked={marked}
          onClick={(event) => {
            event.stopPropagation();
            mark(event.shiftKey);
          }}
          slotProps={{ input: { "aria-label": `Mark ${line.name}`, tabIndex: -1 } }}
        />
        <StateMark line={line} />
      </Box>
      {headers.map((header) => (
        <Box role="gridcell" key={header.id} sx={{ textAlign: meta(header).right ? "right" : undefined }}>
          {meta(header).cell(line, names)}
        </Box>
      ))}
    </Box>
  );
}
