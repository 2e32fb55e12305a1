// Who meets whom: mods in the order in which they are laid down, and an arch over each two that carry the same paths or
// say that they change the same. The thicker the arch, the more it is about; its dot stands at the one that wins.
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import type { Shape } from "../../../api/client";
import { useOverlap } from "../../../api/queries";
import { Empty, Loaded } from "../../../parts/notices";
import { many } from "../../../parts/words";

type Pair = Shape["OverlapPair"];
type Node = Shape["OverlapNode"];

const WIDTH = 1040;
const MARGIN = 84;
const NAMED = 44;
const DRAWN = 250;
const LISTED = 100;
/** From so many arches on they are drawn thin, and the heavier the more they stand out. */
const CROWDED = 60;

/** Stands for a mod where the pack's own files are meant. */
const OWN = "_own";

const isDecided = (pair: Pair) => pair.paths > 0 && (pair.decided === pair.paths || pair.other === OWN);

/** What a pair is about: keys where files are read, else files, and what both say that they change. */
const weight = (pair: Pair) =>
  pair.keys + pair.lost + (pair.keys || pair.lost ? 0 : pair.paths) + 4 * pair.names.length;

export default function Overlap() {
  const { packId = "" } = useParams();
  const overlap = useOverlap(packId);
  const [wanted, setWanted] = useState("");
  return (
    <Loaded query={overlap}>
      {({ nodes, pairs }) => {
        if (!pairs.length) {
          return (
            <Empty title="Nobody meets anybody">
              No two mods lay different files down at one path, and none says that it changes what another changes.
            </Empty>
          );
        }
        const names = new Map(nodes.map((one) => [one.mod, one.name]));
        const named = (mod: string) => names.get(mod) ?? mod;
        const fits = (pair: Pair) =>
          [pair.one, pair.other].some((mod) => named(mod).toLowerCase().includes(wanted.toLowerCase()));
        const shown = pairs.filter(fits).sort((one, other) => weight(other) - weight(one));
        const met = new Set(shown.slice(0, DRAWN).flatMap((pair) => [pair.one, pair.other]));
        return (
          <>
            <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
              <TextField
                label="Only those with"
                value={wanted}
                onChange={(event) => setWanted(event.target.value)}
                sx={{ width: 220 }}
              />
              <Box sx={{ fontSize: "0.88rem", color: "text.secondary" }} role="status">
                {many(shown.length, "pair")} of {many(met.size, "mod")}, laid down from left to right.
                {shown.length > DRAWN && ` The ${DRAWN} heaviest are drawn.`}
              </Box>
              <Legend />
            </Box>
            <Arches nodes={nodes.filter((one) => met.has(one.mod))} pairs={shown.slice(0, DRAWN)} packId={packId} />
            <Box component="ol" aria-label="Pairs" sx={{ listStyle: "none", m: 0, mt: 1, p: 0 }}>
              {shown.slice(0, LISTED).map((pair) => (
                <Box
                  component="li"
                  key={`${pair.one} ${pair.other}`}
                  sx={{ borderTop: 1, borderColor: "divider", py: 0.5, fontSize: "0.92rem" }}
                >
                  <RouterLink to={address(packId, pair)}>
                    {named(pair.one)} and {named(pair.other)}
                  </RouterLink>{" "}
                  <span>{said(pair, named)}</span>
                </Box>
              ))}
            </Box>
            {shown.length > LISTED && <p>And {shown.length - LISTED} more: narrow them down above.</p>}
          </>
        );
      }}
    </Loaded>
  );
}

const address = (packId: string, pair: Pair) =>
  `/packs/${packId}/check/overlap/${encodeURIComponent(pair.one)}/${encodeURIComponent(pair.other)}`;

function said(pair: Pair, named: (mod: string) => string): string {
  const parts = [];
  if (pair.keys) parts.push(`${many(pair.keys, "key")} set differently`);
  if (pair.lost) parts.push(`${many(pair.lost, "key")} lost`);
  if (pair.paths && !pair.keys && !pair.lost) parts.push(many(pair.paths, "file"));
  if (pair.names.length) parts.push(`both change ${pair.names.join(", ")}`);
  if (pair.unread) parts.push(`${many(pair.unread, "file")} not read`);
  const wins = pair.won_by_other === pair.paths ? named(pair.other) : pair.won_by_other ? "" : named(pair.one);
  if (pair.paths) parts.push(wins ? `${wins} holds` : "each holds some");
  if (isDecided(pair)) parts.push(pair.other === OWN ? "the pack's own files go over everything" : "decided");
  return parts.join(" · ");
}

function Legend() {
  const line = (colour: string, dash: string) => (
    <svg width="30" height="10" aria-hidden>
      <path d="M2 5h26" stroke={`var(--mui-palette-${colour}-main)`} strokeWidth="3" strokeDasharray={dash} />
    </svg>
  );
  return (
    <Box sx={{ display: "flex", gap: 2, fontSize: "0.82rem", color: "text.secondary", ml: { md: "auto" } }}>
      <span>{line("warning", "")} open</span>
      <span>{line("primary", "")} decided</span>
      <span>{line("info", "4 3")} by their own word</span>
      <span>● who holds</span>
    </Box>
  );
}

function Arches({ nodes, pairs, packId }: { nodes: Node[]; pairs: Pair[]; packId: string }) {
  const navigate = useNavigate();
  const [over, setOver] = useState("");
  const step = (WIDTH - 2 * MARGIN) / Math.max(nodes.length - 1, 1);
  const at = new Map(nodes.map((one, index) => [one.mod, MARGIN + index * step]));
  const widest = Math.max(...pairs.map((pair) => Math.abs((at.get(pair.other) ?? 0) - (at.get(pair.one) ?? 0))));
  const tall = Math.min(230, 60 + widest / 2.5);
  const weights = pairs.filter((pair) => pair.paths).map(weight);
  const heaviest = Math.max(...weights, 1);
  const crowded = pairs.length > CROWDED;
  // Among many of nearly one weight, what they differ by is shown, not what they have.
  const least = crowded ? Math.min(...weights, heaviest - 1) : 0;
  const share = (pair: Pair) => Math.max(0, weight(pair) - least) / (heaviest - least);
  const names = nodes.length <= NAMED;
  const slanted = names && nodes.length > 6;
  const ground = tall + 14;
  return (
    <Box sx={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Picture of overlap">
      <svg
        viewBox={`0 0 ${WIDTH} ${ground + (slanted ? 120 : 34)}`}
        style={{ width: "100%", minWidth: 620, display: "block" }}
        role="img"
        aria-label={`${many(pairs.length, "pair")} of mods that meet; each is in the list below`}
      >
        <path d={`M${MARGIN - 14} ${ground}H${WIDTH - MARGIN + 14}`} stroke="var(--mui-palette-divider)" />
        {pairs.toReversed().map((pair) => {
          const [from, to] = [at.get(pair.one) ?? 0, at.get(pair.other) ?? 0];
          const key = `${pair.one} ${pair.other}`;
          const rise = 18 + ((to - from) / Math.max(widest, 1)) * (tall - 30);
          const declared = !pair.paths;
          const colour = declared ? "info" : isDecided(pair) ? "primary" : "warning";
          const holder = pair.won_by_other * 2 >= pair.paths ? to : from;
          const faint = over !== "" && over !== key && over !== pair.one && over !== pair.other;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: the list below has a link for each pair
            <g
              key={key}
              opacity={faint ? (crowded ? 0.05 : 0.15) : 1}
              style={{ cursor: "pointer" }}
              onMouseEnter={() => setOver(key)}
              onMouseLeave={() => setOver("")}
              onClick={() => navigate(address(packId, pair))}
            >
              <path
                d={`M${from} ${ground}C${from} ${ground - rise * 1.33} ${to} ${ground - rise * 1.33} ${to} ${ground}`}
                fill="none"
                stroke={`var(--mui-palette-${colour}-main)`}
                strokeWidth={declared ? 3 : crowded ? 1 + 4 * share(pair) : 1.5 + 7 * Math.sqrt(share(pair))}
                strokeDasharray={declared ? "5 4" : undefined}
                strokeOpacity={crowded && (over === "" || faint) ? 0.12 + 0.6 * share(pair) ** 2 : 0.72}
              />
              {!declared && (
                <circle
                  cx={holder}
                  cy={ground - 8}
                  r={crowded ? 3.5 : 6.5}
                  fill={`var(--mui-palette-${colour}-main)`}
                />
              )}
            </g>
          );
        })}
        {nodes.map((one) => {
          const x = at.get(one.mod) ?? 0;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: only lights up what the list names
            <g key={one.mod} onMouseEnter={() => setOver(one.mod)} onMouseLeave={() => setOver("")}>
              <rect x={x - Math.min(step, 40) / 2} y={ground - 4} width={Math.min(step, 40)} height={34} opacity="0" />
              <path d={`M${x} ${ground}v6`} stroke="currentColor" />
              {(names || over === one.mod || over.split(" ").includes(one.mod)) && (
                <text
                  x={x}
                  y={ground + 18}
                  fontSize="12.5"
                  fill="currentColor"
                  textAnchor={slanted ? "end" : x < 120 ? "start" : x > WIDTH - 120 ? "end" : "middle"}
                  transform={slanted ? `rotate(-42 ${x} ${ground + 14})` : undefined}
                >
                  {one.name}
                </text>
              )}
            </g>
          );
        })}
      </svg>
    </Box>
  );
}
