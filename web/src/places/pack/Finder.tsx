// The finder: searches the catalogue. What does not fit the base is shown greyed, with the reason.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useDeferredValue, useState } from "react";
import type { Shape } from "../../api/client";
import { type Search, useFinder, useGames, usePack } from "../../api/queries";
import { Empty, Loaded, Remark } from "../../parts/notices";
import { clock, day, many, when } from "../../parts/words";
import { mono } from "../../theme";
import { Pick } from "../BaseFields";
import { ModPicture } from "./ModPicture";
import type { Editing } from "./useEditing";

type Sort = NonNullable<Search["sort"]>;
type Filters = Partial<
  Record<
    "game_version" | "loader" | "kind" | "category" | "pickup" | "licence" | "side" | "reach" | "channel" | "since",
    string
  >
>;

const SORTS: [Sort, string][] = [
  ["best", "best match"],
  ["downloads", "downloads"],
  ["followers", "followers"],
  ["rating", "rating"],
  ["name", "name"],
  ["updated", "last build"],
  ["added", "newly added"],
];
/** What rows show of that by which they are ordered. */
const ORDERED_BY: Partial<Record<Sort, (row: Shape["FinderRow"]) => string>> = {
  downloads: (row) => `${row.downloads.toLocaleString("en-GB")} downloads`,
  followers: (row) => `${row.followers.toLocaleString("en-GB")} followers`,
  rating: (row) => (row.rating ? `${(row.rating / 100).toFixed(1)} of 5` : "not rated"),
  updated: (row) => (row.updated ? day(row.updated) : ""),
  added: (row) => (row.added ? day(row.added) : ""),
};
const SINCE: [number, string][] = [
  [0, "at any time"],
  [31, "in a month"],
  [92, "in three months"],
  [366, "in a year"],
];
const daysAgo = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString().slice(0, 10);

interface Props {
  packId: string;
  base: string;
  lines: Shape["LineOut"][];
  inHand: string;
  take: (mod: string) => void;
  editing: Editing;
  may: boolean;
  fold: () => void;
  /** A mod: only what needs it is shown. */
  needs: string;
  clearNeeds: () => void;
}

export function Finder(props: Props) {
  const [text, setText] = useState("");
  const [filters, setFilters] = useState<Filters>({});
  const [sort, setSort] = useState<Sort>("best");
  const [fitting, setFitting] = useState(true);
  const [filtering, setFiltering] = useState(false);
  const [page, setPage] = useState(1);
  const [pictured, setPictured] = useState(() => localStorage.getItem("finder") === "pictures");
  const asked = useDeferredValue(text);
  const { needs, clearNeeds } = props;
  // Whoever asks what needs a mod asks anew: words that were typed before are not meant.
  const [askedFor, setAskedFor] = useState(needs);
  if (askedFor !== needs) {
    setAskedFor(needs);
    setText("");
    setPage(1);
  }
  const search = { ...filters, needs, text: asked.slice(0, 200), fitting_only: fitting, sort, page };
  const found = useFinder(props.packId, search);
  const facets = found.data?.facets ?? [];
  const filter = (name: string, value: string) => {
    setFilters({ ...filters, [name]: value });
    // What is made for another base than the draft's would not be shown with those that fit it alone.
    if (value && (name === "game_version" || name === "loader")) setFitting(false);
    setPage(1);
  };
  const base = usePack(props.packId).data?.base;
  const game = useGames().data?.find((one) => one.id === base?.game);
  const loaders = new Map(game?.versions.flatMap((one) => one.loaders.map((each) => [each.id, each.name] as const)));
  const filtered = Object.values(filters).filter(Boolean).length;
  return (
    <>
      <Box sx={{ p: 1.5, pb: 0.5, display: "grid", gap: 1, flex: "none" }}>
        <Box sx={{ display: "flex", gap: 1 }}>
          <TextField
            id="finder-text"
            label="Find a mod"
            value={text}
            onChange={(event) => {
              setText(event.target.value);
              setPage(1);
            }}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown") document.querySelector<HTMLElement>("[data-finder-row]")?.focus();
            }}
          />
          <Button
            size="small"
            onClick={props.fold}
            aria-label="Fold the finder"
            sx={{ minWidth: 32, display: { xs: "none", md: "block" } }}
          >
            ‹
          </Button>
        </Box>
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1.35fr", gap: 1, alignItems: "center" }}>
          <Pick
            label="Order"
            value={sort}
            options={SORTS.map(([value, name]) => ({ value, name }))}
            onChange={(value) => {
              setSort(value as Sort);
              setPage(1);
            }}
          />
          <FormControlLabel
            control={
              <Switch
                size="small"
                checked={fitting}
                onChange={(_, on) => {
                  setFitting(on);
                  setPage(1);
                }}
              />
            }
            label={`Fits ${props.base}`}
            slotProps={{ typography: { variant: "body2", noWrap: true } }}
          />
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "0.85rem" }}>
          <span aria-live="polite" style={{ flex: 1 }}>
            {found.data && (found.data.total < 1000 ? many(found.data.total, "mod") : "the first 1,000 mods")}
          </span>
          {filtered > 0 && (
            <Button size="small" onClick={() => setFilters({})} sx={{ py: 0 }}>
              Clear {filtered}
            </Button>
          )}
          <Button
            size="small"
            aria-pressed={pictured}
            onClick={() => {
              localStorage.setItem("finder", pictured ? "rows" : "pictures");
              setPictured(!pictured);
            }}
            sx={{ py: 0 }}
          >
            {pictured ? "As rows" : "With pictures"}
          </Button>
          <Button size="small" aria-expanded={filtering} onClick={() => setFiltering(!filtering)} sx={{ py: 0 }}>
            Narrow down
          </Button>
        </Box>
        {needs && (
          <Box sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "0.85rem" }}>
            <span style={{ flex: 1 }}>
              What needs <strong>{props.lines.find((one) => one.mod === needs)?.name ?? needs}</strong>
            </span>
            <Button size="small" onClick={clearNeeds} sx={{ py: 0 }}>
              All mods again
            </Button>
          </Box>
        )}
        {filtering && (
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, pt: 1 }}>
            {facets.map((one) => (
              <Pick
                key={one.name}
                label={one.name[0].toUpperCase() + one.name.slice(1)}
                value={filters[one.name as keyof Filters] ?? ""}
                options={[
                  { value: "", name: "any" },
                  ...one.values.map(({ value, count }) => ({ value, name: `${value} (${count})` })),
                ]}
                onChange={(value) => filter(one.name, value)}
              />
            ))}
            <Pick
              label="Game version"
              value={filters.game_version ?? ""}
              options={[
                { value: "", name: fitting ? "the base's" : "any" },
                ...(game?.versions ?? []).map((one) => ({ value: one.version, name: one.label })),
              ]}
              onChange={(value) => filter("game_version", value)}
            />
            {loaders.size > 0 && (
              <Pick
                label="Loader"
                value={filters.loader ?? ""}
                options={[
                  { value: "", name: fitting ? "the base's" : "any" },
                  ...[...loaders].map(([value, name]) => ({ value, name })),
                ]}
                onChange={(value) => filter("loader", value)}
              />
            )}
            <Pick
              label="Channel"
              value={filters.channel ?? ""}
              options={["", "stable", "beta", "alpha"].map((value) => ({ value, name: value || "any" }))}
              onChange={(value) => filter("channel", value)}
            />
            <Pick
              label="Last build"
              value={filters.since ?? ""}
              options={SINCE.map(([days, name]) => ({ value: days ? daysAgo(days) : "", name }))}
              onChange={(value) => filter("since", value)}
            />
          </Box>
        )}
      </Box>
      <Box sx={{ flex: 1, overflow: "auto", minHeight: 160 }} aria-busy={found.isFetching}>
        <Loaded query={found} rows={10}>
          {(data) => (
            <>
              {data.rows.map((row) => (
                <Row key={row.slug} row={row} sort={sort} pictured={pictured} {...props} />
              ))}
              {data.rows.length === 0 && (
                <Empty
                  title="Nothing found"
                  action={
                    fitting && <Button onClick={() => setFitting(false)}>Look among what does not fit, too</Button>
                  }
                >
                  No mod {text && `like “${text}” `}that {fitting ? "fits this base" : "the sources know"}.
                </Empty>
              )}
              {data.pages > 1 && (
                <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", p: 1 }}>
                  <Button size="small" disabled={page <= 1} onClick={() => setPage(page - 1)}>
                    Earlier
                  </Button>
                  <span>
                    {data.page} of {data.pages}, {many(data.total, "mod")}
                  </span>
                  <Button size="small" disabled={page >= data.pages} onClick={() => setPage(page + 1)}>
                    More
                  </Button>
                </Box>
              )}
              <Sources sources={data.sources} />
            </>
          )}
        </Loaded>
      </Box>
    </>
  );
}

function Row({
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

function Unfit({ reason }: { reason: string }) {
  return (
    <>
      <Box component="span" sx={{ color: "error.main", fontWeight: 600 }}>
        ▬ does not fit
      </Box>{" "}
      {reason}
    </>
  );
}

function Sources({ sources }: { sources: Shape["SourceState"][] }) {
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
