// How the finder is narrowed down: by what the matches are counted by, by base, channel and age.
import Box from "@mui/material/Box";
import { Pick } from "../../../parts/Pick";
import type { Filters, Finding } from "./useFinding";

const SINCE: [number, string][] = [
  [0, "at any time"],
  [31, "in a month"],
  [92, "in three months"],
  [366, "in a year"],
];
const daysAgo = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString().slice(0, 10);

export function Narrowing({ finding }: { finding: Finding }) {
  const { filter, filters, fitting, loaders } = finding;
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, pt: 1 }}>
      {finding.facets.map((one) => (
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
          ...finding.versions.map((one) => ({ value: one.version, name: one.label })),
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
  );
}
