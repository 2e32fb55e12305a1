// Many settings at once: how much the pack insists on them, for whom, in which set; or as they come.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Shape } from "../../../api/client";
import type { Setting } from "../../../api/settings";
import { optionsOf, Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";
import { placeOf } from "./Table";
import { given, HOW, now, SIDES } from "./values";

interface Props {
  rows: Setting[];
  chosen: ReadonlyMap<string, Setting>;
  sets: Shape["SettingSetOut"][];
  editing: Editing;
  clear: () => void;
}

export function Many({ rows, chosen, sets, editing, clear }: Props) {
  // Those that another search does not show are chosen all the same; what is shown is newer.
  const shown = new Map(rows.map((row) => [placeOf(row), row]));
  const those = [...chosen].map(([place, one]) => shown.get(place) ?? one);
  const hidden = [...chosen.keys()].filter((place) => !shown.has(place)).length;
  const set = (said: { how?: Shape["How"]; side?: Shape["Side"]; set?: string; out_of?: string }) =>
    editing.editThen(
      { kept: clear },
      { do: "set", settings: those.map((one) => ({ path: one.path, key: one.key, ...given(one, now(one)) })), ...said },
    );
  const reset = () =>
    editing.editThen({ kept: clear }, { do: "reset", settings: those.map(({ path, key }) => ({ path, key })) });
  return (
    <Box
      role="group"
      aria-label="The chosen settings"
      sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", p: 1, bgcolor: "background.paper" }}
    >
      <strong>{many(those.length, "setting")} chosen</strong>
      {hidden > 0 && <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>{hidden} of them not shown</Box>}
      <Act label="Set as" names={HOW} act={(how) => set({ how })} />
      <Act label="For" names={SIDES} act={(side) => set({ side })} />
      {sets.length > 0 && (
        <Act
          label="Into"
          names={Object.fromEntries(sets.map((one) => [one.id, one.name]))}
          act={(to) => set({ set: to, out_of: "" })}
        />
      )}
      <Button size="small" disabled={!those.some((one) => one.to)} onClick={reset}>
        As they come
      </Button>
      <Button size="small" onClick={clear}>
        Choose none
      </Button>
    </Box>
  );
}

function Act<T extends string>(props: { label: string; names: Record<T, string>; act: (value: T) => void }) {
  return (
    <Pick<T | "">
      label={props.label}
      value=""
      options={[{ value: "", name: "…" }, ...optionsOf(props.names)]}
      onChange={(value) => value && props.act(value)}
      sx={{ width: 150 }}
    />
  );
}
