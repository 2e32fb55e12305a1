// Why a mod is in: the needs that lead to it from chosen lines, and onwards from it, drawn as a small graph.
// Columns by distance from the mod: who needs it on the left, what it needs on the right.
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import type { Shape } from "../../api/client";
import { useNeeds } from "../../api/queries";
import { Loaded } from "../../parts/notices";

type Needs = Shape["NeedsOut"];
type Node = Shape["NodeOut"];

const BOX = { width: 118, height: 34, gapX: 26, gapY: 8 };
/** Boxes of one column that are drawn; the rest are counted. */
const TALLEST = 7;

export function NeedsGraph({ packId, mod, take }: { packId: string; mod: string; take: (mod: string) => void }) {
  return (
    <Loaded query={useNeeds(packId, mod)} rows={3}>
      {(needs) =>
        needs.edges.length ? <Drawn needs={needs} mod={mod} take={take} /> : <Alone needs={needs} mod={mod} />
      }
    </Loaded>
  );
}

/** Colours as they are in light and in dark: a drawing is told them by variables, as all else is. */
function useColours() {
  const theme = useTheme();
  return (theme.vars ?? theme).palette;
}

function Alone({ needs, mod }: { needs: Needs; mod: string }) {
  const node = needs.nodes.find((one) => one.mod === mod);
  return (
    <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
      {node?.chosen ? "Chosen; it needs nothing and nothing needs it." : "Nothing in the pack needs it."}
    </Box>
  );
}

function Drawn({ needs, mod, take }: { needs: Needs; mod: string; take: (mod: string) => void }) {
  const palette = useColours();
  const columns = inColumns(needs, mod);
  const places = new Map<string, { x: number; y: number }>();
  const tallest = Math.max(...columns.map((column) => Math.min(column.length, TALLEST)));
  columns.forEach((column, at) => {
    const shown = column.slice(0, TALLEST);
    const offset = ((tallest - shown.length) * (BOX.height + BOX.gapY)) / 2;
    shown.forEach((node, row) => {
      places.set(node.mod, { x: at * (BOX.width + BOX.gapX), y: offset + row * (BOX.height + BOX.gapY) });
    });
  });
  const width = columns.length * (BOX.width + BOX.gapX) - BOX.gapX;
  const height = tallest * (BOX.height + BOX.gapY) + 14;
  const middle = (places.get(mod)?.x ?? 0) + BOX.width / 2;
  const hidden = columns.reduce((sum, column) => sum + Math.max(0, column.length - TALLEST), 0);
  return (
    <Box
      ref={(box: HTMLElement | null) => {
        // The mod in hand is in view from the start, however many stand before it.
        if (box) box.scrollLeft = middle - box.clientWidth / 2;
      }}
      sx={{ overflowX: "auto" }}
      tabIndex={0}
      role="region"
      aria-label="Needs as a graph"
    >
      <svg width={width + 4} height={height}>
        <title>Who needs whom</title>
        {needs.edges.map((edge) => {
          const from = places.get(edge.asker);
          const to = places.get(edge.met_by);
          if (!from || !to) return null;
          const [x1, y1, x2, y2] = [from.x + BOX.width, from.y + BOX.height / 2, to.x, to.y + BOX.height / 2];
          return (
            <path
              key={`${edge.asker} ${edge.mod} ${edge.met_by}`}
              d={`M${x1},${y1} C${x1 + 16},${y1} ${x2 - 16},${y2} ${x2},${y2}`}
              fill="none"
              stroke={edge.asker === mod || edge.met_by === mod ? palette.primary.main : palette.divider}
              strokeWidth={1.5}
            >
              <title>{`${edge.asker} needs ${edge.mod} ${edge.range}`}</title>
            </path>
          );
        })}
        {columns.flat().map((node) => {
          const place = places.get(node.mod);
          return place && <Boxed key={node.mod} node={node} place={place} inHand={node.mod === mod} take={take} />;
        })}
      </svg>
      {hidden > 0 && <Box sx={{ fontSize: "0.8rem", color: "text.secondary" }}>and {hidden} more</Box>}
    </Box>
  );
}

function Boxed({
  node,
  place,
  inHand,
  take,
}: {
  node: Node;
  place: { x: number; y: number };
  inHand: boolean;
  take: (mod: string) => void;
}) {
  const palette = useColours();
  return (
    // biome-ignore lint/a11y/useSemanticElements: a button element cannot stand in a drawing
    <g
      role="button"
      tabIndex={0}
      transform={`translate(${place.x + 2},${place.y + 2})`}
      onClick={() => take(node.mod)}
      onKeyDown={(event) => event.key === "Enter" && take(node.mod)}
      style={{ cursor: "pointer" }}
    >
      <rect
        width={BOX.width}
        height={BOX.height}
        fill={inHand ? palette.action.selected : palette.background.paper}
        stroke={node.chosen ? palette.primary.main : palette.divider}
        strokeWidth={node.chosen ? 2 : 1}
      />
      <text x={8} y={15} fontSize={12} fontWeight={600} fill={palette.text.primary}>
        {short(node.name)}
      </text>
      <text x={8} y={28} fontSize={11} fill={palette.text.secondary}>
        {node.version}
        {node.chosen && " · chosen"}
      </text>
    </g>
  );
}

const short = (name: string) => (name.length > 18 ? `${name.slice(0, 17)}…` : name);

/** Nodes by how many needs lie between them and the mod: those above it on its left, those below on its right. */
function inColumns(needs: Needs, mod: string): Node[][] {
  const nodes = new Map(needs.nodes.map((one) => [one.mod, one]));
  const distance = new Map([[mod, 0]]);
  const walk = (from: "asker" | "met_by", to: "asker" | "met_by", by: number) => {
    const waiting = [mod];
    for (const one of waiting) {
      for (const edge of needs.edges) {
        if (edge[from] === one && !distance.has(edge[to])) {
          distance.set(edge[to], (distance.get(one) ?? 0) + by);
          waiting.push(edge[to]);
        }
      }
    }
  };
  walk("met_by", "asker", -1);
  walk("asker", "met_by", 1);
  const places = [...new Set(distance.values())].sort((a, b) => a - b);
  return places.map((place) =>
    [...distance.entries()]
      .flatMap(([one, at]) => (at === place ? [nodes.get(one)] : []))
      .filter((one) => one !== undefined),
  );
}
