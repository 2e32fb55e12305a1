// The manifest: the pack's lines, dense, grouped into chosen and brought in. Only the rows in view are drawn.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef } from "react";
import type { Shape } from "../../api/client";
import { Hidden } from "../../parts/marks";
import { Empty } from "../../parts/notices";
import { bytes } from "../../parts/words";
import { mono } from "../../theme";
import type { Editing } from "./useEditing";

type Line = Shape["LineOut"];
type Row = { heading: string } | { line: Line };

const ROW = 32;
const COLUMNS = "20px minmax(140px, 2fr) minmax(150px, 1.2fr) 82px 46px 40px 62px";
const MORE_COLUMNS = " minmax(90px, 1.4fr) 72px";
const HEADS = ["", "Name", "Build", "Kind", "Side", "Reach", "Size", "Needed by", ""];
/** With a mod in hand the inspector tells the last two, and takes their room. */
const HEADS_BESIDE_INSPECTOR = 7;

interface Props {
  lines: Line[];
  inHand: string;
  take: (mod: string) => void;
  editing: Editing;
  may: boolean;
}

export function Manifest({ lines, inHand, take, editing, may }: Props) {
  const rows = useMemo(() => grouped(lines), [lines]);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  if (lines.length === 0) {
    return (
      <Empty title="The pack is empty">
        Find a mod on the left and add it. What it needs comes in with it, in versions that fit, and leaves again when
        nothing needs it any more.
      </Empty>
    );
  }
  const narrow = inHand !== "";
  const names = new Map(lines.map((one) => [one.mod, one.name]));
  const order = rows.flatMap((row) => ("line" in row ? [row.line.mod] : []));
  const step = (by: number) => {
    const next = order[Math.min(order.length - 1, Math.max(0, order.indexOf(inHand) + by))];
    take(next);
    virtual.scrollToIndex(rows.findIndex((row) => "line" in row && row.line.mod === next));
  };
  const pressed = (event: React.KeyboardEvent) => {
    const line = lines.find((one) => one.mod === inHand);
    if (event.key === "ArrowDown") step(1);
    else if (event.key === "ArrowUp") step(-1);
    else if (event.key === "Delete" && may && line?.group === "chosen") editing.edit({ do: "remove", mod: line.mod });
    else if (event.key === " " && may && line?.group === "chosen")
      editing.edit({ do: "switch", mod: line.mod, on: line.state === "off" });
    else return;
    event.preventDefault();
  };
  return (
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
      <Box
        role="row"
        sx={{
          ...grid,
          gridTemplateColumns: narrow ? COLUMNS : COLUMNS + MORE_COLUMNS,

          position: "sticky",
          top: 0,
          zIndex: 1,
          bgcolor: "background.default",
          color: "text.secondary",
          borderBottom: 1,
          borderColor: "divider",
        }}
      >
        {HEADS.slice(0, narrow ? HEADS_BESIDE_INSPECTOR : undefined).map((head, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a fixed list
          <Box role="columnheader" key={index} sx={{ textAlign: head === "Size" ? "right" : undefined }}>
            {head || <Hidden>{index ? "Actions" : "State"}</Hidden>}
          </Box>
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
                <LineRow line={row.line} names={names} inHand={inHand} take={take} editing={editing} may={may} />
              )}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

const grid = {
  display: "grid",
  columnGap: 1,
  alignItems: "center",
  height: ROW,
  px: 1.5,
  "& > *": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
};

function grouped(lines: Line[]): Row[] {
  const groups: [string, Line[]][] = [
    ["Without a build", lines.filter((one) => one.state === "unsettled")],
    ["Chosen", lines.filter((one) => one.group === "chosen" && one.state === "settled")],
    ["Brought in", lines.filter((one) => one.group === "brought in" && one.state === "settled")],
    ["Off", lines.filter((one) => one.state === "off")],
  ];
  return groups
    .filter(([, rows]) => rows.length)
    .flatMap(([name, rows]) => [{ heading: `${name} (${rows.length})` }, ...rows.map((line) => ({ line }))]);
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

const SHAPES: Record<string, { shape: string; colour: string; word: string }> = {
  settled: { shape: "●", colour: "primary.main", word: "has a build" },
  unsettled: { shape: "▬", colour: "error.main", word: "without a build" },
  off: { shape: "○", colour: "text.secondary", word: "off" },
};

function LineRow({
  line,
  names,
  inHand,
  take,
  editing,
  may,
}: Omit<Props, "lines"> & { line: Line; names: Map<string, string> }) {
  const narrow = inHand !== "";
  const shape = SHAPES[line.state] ?? SHAPES.settled;
  const neededBy = line.needed_by.map((mod) => names.get(mod) ?? mod).join(", ");
  return (
    <Box
      role="row"
      aria-selected={inHand === line.mod}
      data-line={line.mod}
      onClick={() => take(line.mod)}
      sx={{
        ...grid,
        gridTemplateColumns: narrow ? COLUMNS : COLUMNS + MORE_COLUMNS,

        cursor: "pointer",
        borderBottom: 1,
        borderColor: "divider",
        bgcolor: inHand === line.mod ? "action.selected" : "background.paper",
      }}
    >
      <Box role="cell" sx={{ color: shape.colour }}>
        <span aria-hidden>{shape.shape}</span>
        <Hidden>{shape.word}</Hidden>
      </Box>
      <Box role="cell" sx={{ fontWeight: 600 }} title={line.why || line.summary}>
        {line.name}
        {line.why && (
          <Box component="span" sx={{ fontWeight: 400, color: "error.main", ml: 1 }}>
            {line.why}
          </Box>
        )}
      </Box>
      <Box role="cell" sx={{ fontFamily: mono, fontSize: "0.8rem" }}>
        {line.version}
        {line.held && (
          <Box component="span" sx={{ color: "info.main", ml: 0.75 }} title={line.held_because}>
            held
          </Box>
        )}
        {line.newer && (
          <Box component="span" sx={{ color: "warning.main", ml: 0.75 }} title={`${line.newer} is newer and fits`}>
            ↑ {line.newer}
          </Box>
        )}
      </Box>
      <Box role="cell">{line.kind}</Box>
      <Box role="cell">{line.side}</Box>
      <Box role="cell">{line.reach}</Box>
      <Box role="cell" sx={{ textAlign: "right" }}>
        {line.size > 0 && bytes(line.size)}
      </Box>
      {!narrow && (
        <>
          <Box role="cell" sx={{ color: "text.secondary" }} title={neededBy}>
            {neededBy}
          </Box>
          <Box role="cell">
            {may && line.group === "chosen" && (
              <Button
                size="small"
                color="inherit"
                disabled={editing.pending}
                aria-label={`Remove ${line.name}`}
                sx={{ minWidth: 0, py: 0, fontSize: "0.8rem" }}
                onClick={(event) => {
                  event.stopPropagation();
                  editing.edit({ do: "remove", mod: line.mod });
                }}
              >
                Remove
              </Button>
            )}
          </Box>
        </>
      )}
    </Box>
  );
}
