// Game version, loader and loader version. Stable versions first, the others on request; only loader versions that run
// on the chosen game version, newest first, the recommended one marked.
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import { useState } from "react";
import type { Shape } from "../api/client";
import { Pick } from "../parts/Pick";

export interface BaseChoice {
  game_version: string;
  loader: string;
  loader_version: string;
}

type Game = Shape["GameOut"];

/** The newest stable version with its first loader's recommended version: what most people start with. */
export function firstBase(game: Game): BaseChoice {
  const version = game.versions.find((one) => one.channel === "stable") ?? game.versions[0];
  return withLoader(game, version.version, version.loaders[0]?.id ?? "");
}

export function withLoader(game: Game, game_version: string, loader: string): BaseChoice {
  const loaders = game.versions.find((one) => one.version === game_version)?.loaders ?? [];
  const found = loaders.find((one) => one.id === loader);
  const best = found?.versions.find((one) => one.recommended) ?? found?.versions[0];
  return { game_version, loader: best ? loader : "", loader_version: best?.version ?? "" };
}

export function BaseFields(props: { game: Game; value: BaseChoice; onChange: (value: BaseChoice) => void }) {
  const { game, value, onChange } = props;
  const chosen = game.versions.find((one) => one.version === value.game_version);
  const [all, setAll] = useState(chosen !== undefined && chosen.channel !== "stable");
  const versions = game.versions.filter((one) => all || one.channel === "stable");
  const hidden = game.versions.some((one) => one.channel !== "stable");
  const loader = chosen?.loaders.find((one) => one.id === value.loader);
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr 1fr" }, alignItems: "start" }}>
      <Box>
        <Pick
          label="Game version"
          value={value.game_version}
          options={versions.map((one) => ({
            value: one.version,
            name: one.channel === "stable" ? one.label : `${one.label} (${one.channel})`,
          }))}
          onChange={(version) => onChange(withLoader(game, version, value.loader))}
        />
        {hidden && (
          <FormControlLabel
            control={<Switch size="small" checked={all} onChange={(_, on) => setAll(on)} />}
            label="Previews and archived too"
            slotProps={{ typography: { variant: "body2" } }}
          />
        )}
      </Box>
      <Pick
        label="Loader"
        value={value.loader}
        options={[
          ...(chosen?.loaders ?? []).map((one) => ({ value: one.id, name: one.name })),
          { value: "", name: "none" },
        ]}
        onChange={(id) => onChange(withLoader(game, value.game_version, id))}
      />
      <Pick
        label="Loader version"
        value={value.loader_version}
        disabled={!loader}
        options={(loader?.versions ?? []).map((one, index) => ({
          value: one.version,
          name: [one.version, index === 0 && "newest", one.recommended && "recommended"].filter(Boolean).join(" · "),
        }))}
        onChange={(version) => onChange({ ...value, loader_version: version })}
      />
    </Box>
  );
}
