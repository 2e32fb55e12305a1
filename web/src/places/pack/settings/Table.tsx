// The long table: every key found, by mod; only rows in view are there, and more are asked for as one scrolls.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef } from "react";
import type { Shape } from "../../../api/client";
import type { Plain, Setting } from "../../../api/settings";
import { mono } from "../../../theme";
import { Control } from "./Control";
import { now, rangeOf, shown } from "./values";

export const placeOf = (one: { path: string; key: string[] }) => JSON.stringify([one.path, one.key]);

interface Props {
  rows: Setting[];
  mods: Shape["ModSettingsOut"][];
  total: number;
  may: boolean;
  chosen: ReadonlyMap<string, Setting>;
  opened: string;
  more: (() => void) | null;
  choose: (one: Setting, on: boolean) => void;
  open: (one: Setting) => void;
  set: (one: Setting, to: { value: Plain } | { text: string }) => void;
  reset: (one: Setting) => void;
}

type Item = { head: Shape["ModSettingsOut"] } | { row: Setting };

const ROW = 46;
const COLUMNS = {
  xs: "26px minmax(0, 1fr) 132px",
  md: "26px minmax(0, 1.6fr) minmax(70px, 0.6fr) minmax(150px, 0.9fr) 118px",
};
/** On a phone the table is a list: what it is, and its value. */
const WIDE = { xs: "none", md: "block" };

export function Table(props: Props) {
  const { rows, mods, more } = props;
  const scroll = useRef<HTMLDivElement>(null);
  const items = useMemo(() => grouped(rows, mods), [rows, mods]);
  const view = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroll.current,
    estimateSize: (index) => ("head" in (items[index] as Item) ? 32 : ROW),
    overscan: 12,
  });
  const last = view.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last >= items.length - 20) more();
  }, [last, items.length, more]);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Box
        aria-hidden
        sx={{
          display: "grid",
          gridTemplateColumns: COLUMNS,
          gap: 1,
          px: 1,
          py: 0.5,
          fontSize: "0.8rem",
          color: "text.secondary",
          borderBottom: 1,
          borderColor: "divider",
        }}
      >
        <span />
        <span>Setting</span>
        <Box sx={{ display: WIDE }}>As it comes</Box>
        <span>In the draft</span>
        <Box sx={{ display: WIDE }}>How</Box>
      </Box>
      <Box
        ref={scroll}
        role="region"
        aria-label="Settings found"
        tabIndex={0}
        sx={{ flex: 1, minHeight: 0, overflow: "auto" }}
      >
        <Box sx={{ height: view.getTotalSize(), position: "relative" }}>
          {view.getVirtualItems().map(({ index, start, size }) => {
            const item = items[index] as Item;
            const place = { position: "absolute" as const, top: start, left: 0, right: 0, height: size };
            return "head" in item ? (
              <Head key={`head ${item.head.mod}`} head={item.head} sx={place} />
            ) : (
              <Row key={placeOf(item.row)} {...props} one={item.row} sx={place} />
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

function grouped(rows: Setting[], mods: Shape["ModSettingsOut"][]): Item[] {
  const named = new Map(mods.map((one) => [one.mod, one]));
  const items: Item[] = [];
  let mod: string | null = null;
  for (const row of rows) {
    const head = named.get(row.mod);
    if (row.mod !== mod && head) items.push({ head });
    mod = row.mod;
    items.push({ row });
  }
  return items;
}

function Head({ head, sx }: { head: Shape["ModSettingsOut"]; sx: object }) {
  return (
    <Box
      sx={{
        ...sx,
        display: "flex",
        alignItems: "center",
        gap: 1.5,
        px: 1,
        bgcolor: "background.default",
        borderBottom: 1,
        borderColor: "divider",
        fontSize: "0.9rem",
      }}
    >
      <strong>{head.name || "The pack’s own files"}</strong>
      <Box component="span" sx={{ color: "text.secondary", fontSize: "0.82rem" }}>
        {head.keys} {head.keys === 1 ? "setting" : "settings"}
        {head.set > 0 && `, ${head.set} set by the pack`}
      </Box>
      {head.is_all_off && (
        <Box component="span" sx={{ color: "warning.main", fontSize: "0.82rem", fontWeight: 600 }}>
          ◇ does nothing as it comes: every switch is off
        </Box>
      )}
    </Box>
  );
}

function Row({ one, sx, may, chosen, opened, choose, open, set, reset }: Props & { one: Setting; sx: object }) {
  const place = placeOf(one);
  const what = one.title || one.description.split("\n")[0] || rangeOf(one);
  return (
    <Box
      sx={{
        ...sx,
        display: "grid",
        gridTemplateColumns: COLUMNS,
        gap: 1,
        px: 1,
        alignItems: "center",
        borderBottom: 1,
        borderColor: "divider",
        borderLeft: 3,
        borderLeftColor: opened === place ? "primary.main" : "transparent",
        bgcolor: opened === place ? "background.paper" : undefined,
      }}
    >
      <Checkbox
        size="small"
        disabled={!may}
        checked={chosen.has(place)}
        onChange={(event) => choose(one, event.target.checked)}
        slotProps={{ input: { "aria-label": `Choose ${one.key.join(".")}` } }}
        sx={{ p: 0 }}
      />
      <Box
        component="button"
        type="button"
        onClick={() => open(one)}
        aria-pressed={opened === place}
        sx={{
          all: "unset",
          cursor: "pointer",
          minWidth: 0,
          "&:focus-visible": { outline: "2px solid var(--mui-palette-primary-main)" },
        }}
      >
        <Cut mono>{one.key.join(".")}</Cut>
        <Cut grey>{what || " "}</Cut>
      </Box>
      <Box sx={{ display: WIDE, minWidth: 0 }}>
        <Cut mono grey title={shown(one.value)}>
          {shown(one.value) || "—"}
        </Cut>
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Control one={one} may={may} set={(to) => set(one, to)} />
      </Box>
      <Box sx={{ fontSize: "0.82rem", minWidth: 0, display: WIDE }}>
        {one.to && (
          <>
            <Box sx={{ color: one.to.wrong ? "error.main" : one.to.holds ? "text.primary" : "text.secondary" }}>
              {one.to.wrong ? `◆ ${one.to.wrong}` : `${one.to.how}${one.to.holds ? "" : ", in a set"}`}
            </Box>
            {may && (
              <Button
                size="small"
                sx={{ p: 0, minWidth: 0, fontSize: "0.78rem" }}
                aria-label={`${one.key.join(".")} as it comes`}
                onClick={() => reset(one)}
              >
                As it comes
              </Button>
            )}
          </>
        )}
        {!one.to && one.was_there && shown(one.released) !== shown(now(one)) && (
          <Cut grey>was {shown(one.released)}</Cut>
        )}
      </Box>
    </Box>
  );
}

function Cut(props: { children: React.ReactNode; mono?: boolean; grey?: boolean; title?: string }) {
  return (
    <Box
      title={props.title}
      sx={{
        overflow: "hidden",
        textOverflow: "ellipsis",
        whiteSpace: "nowrap",
        fontFamily: props.mono ? mono : undefined,
        fontSize: props.mono ? "0.82rem" : "0.84rem",
        color: props.grey ? "text.secondary" : undefined,
      }}
    >
      {props.children}
    </Box>
  );
}
