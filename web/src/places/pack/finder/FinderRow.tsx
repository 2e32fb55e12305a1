// One mod in the finder, and how fresh the sources are.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Shape } from "../../../api/client";
import { Unfit } from "../../../parts/marks";
import { Remark } from "../../../parts/notices";
import { clock, day, when } from "../../../parts/words";
import { mono } from "../../../theme";
import { ModPicture } from "../ModPicture";
import type { Editing } from "../useEditing";
import type { Sort } from "./useFinding";

/** What rows show of that by which they are ordered. */
const ORDERED_BY: Partial<Record<Sort, (row: Shape["FinderRow"]) => string>> = {
  downloads: (row) => `${row.downloads.toLocaleString("en-GB")} downloads`,
  followers: (row) => `${row.followers.toLocaleString("en-GB")} followers`,
  rating: (row) => (row.rating ? `${(row.rating / 100).toFixed(1)} of 5` : "not rated"),
  updated: (row) => (row.updated ? day(row.updated) : ""),
  added: (row) => (row.added ? day(row.added) : ""),
};
export interface Props {
  packId: string;
  lines: Shape["LineOut"][];
  inHand: string;
  take: (mod: string) => void;
  editing: Editing;
  may: boolean;
}

export function FinderRow({
  row,
  sort,
  pictured,
  packId,
  lines,
  inHand,
  take,
  editing,
  may,
}: Props & { row: Shape["FinderRow"]; sort: Sort; pictured: boolean }) {
  const line = lines.find((one) => one.mod === row.slug);
  const fits = row.fit_version !== "";
  const add = () =>
    may && fits && line?.group !== "chosen" && editing.edit({ do: "add", mod: row.slug, version: row.fit_version });
  return (
    <Box
      sx={{
        display: "flex",
        borderBottom: 1,
        borderColor: "divider",
        flexWrap: pictured ? "wrap" : undefined,
        bgcolor: inHand === row.slug ? "action.selected" : undefined,
      }}
    >
      {pictured && (
        <Box sx={{ width: "100%", px: 1.5, pt: 1, opacity: fits ? 1 : 0.45 }}>
          <ModPicture packId={packId} mod={row.slug} name={row.name} none={!row.picture} />
        </Box>
      )}
      <Box
        component="button"
        type="button"
        data-finder-row
        onClick={() => take(row.slug)}
        onKeyDown={(event: React.KeyboardEvent<HTMLElement>) => {
          const rows = [...document.querySelectorAll<HTMLElement>("[data-finder-row]")];
          const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (step) {
            event.preventDefault();
            rows[rows.indexOf(event.currentTarget) + step]?.focus();
          }
          if (event.key === "a") {
            event.stopPropagation();
            add();
          }
        }}
        sx={{
          all: "unset",
          flex: 1,
          minWidth: 0,
          cursor: "pointer",
          px: 1.5,
          py: 0.75,
          "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -2 },
        }}
      >
        <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
          <Box component="strong" sx={{ color: fits ? undefined : "text.secondary", fontSize: "0.92rem" }}>
            {row.name}
          </Box>
          <Box component="span" sx={{ fontFamily: mono, fontSize: "0.76rem", color: "text.secondary" }}>
            {row.fit_version}
          </Box>
          <Box component="span" sx={{ ml: "auto", fontSize: "0.78rem", color: "text.secondary", whiteSpace: "nowrap" }}>
            {ORDERED_BY[sort]?.(row)}
          </Box>
        </Box>
        <Box sx={{ fontSize: "0.83rem", color: "text.secondary" }}>
          {fits ? row.summary : <Unfit reason={row.reason} />}
        </Box>
      </Box>
      <Box sx={{ p: 0.75, flex: "none", width: 76, textAlign: "right" }}>
        {line ? (
          <Box component="span" sx={{ fontSize: "0.8rem", color: "text.secondary" }}>
            {line.group === "chosen" ? "in the pack" : "brought in"}
          </Box>
        ) : (
          may &&
          fits && (
            <Button
              size="small"
              variant="outlined"
              disabled={editing.pending}
              onClick={add}
              aria-label={`Add ${row.name}`}
              sx={{ minWidth: 52 }}
            >
              Add
            </Button>
          )
        )}
      </Box>
    </Box>
  );
}

export function Sources({ sources }: { sources: Shape["Freshness"][] }) {
  return (
    <Box sx={{ p: 1.5, fontSize: "0.8rem", color: "text.secondary" }}>
      {sources.map((one) => (
        <Box key={one.name} sx={{ mb: 0.5 }}>
          {one.name}, pickup {one.pickup}: read {when(one.read_at)}
          {one.pages_done < one.pages_changed && `, ${one.pages_done} of ${one.pages_changed} changed pages so far`}
          {one.rest_until && `, asked again at ${clock(one.rest_until)}`}
          {one.trouble && <Remark tone="warning">{one.trouble}</Remark>}
        </Box>
      ))}
    </Box>
  );
}
