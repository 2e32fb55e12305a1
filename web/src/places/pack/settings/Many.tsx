// Many settings at once: how much the pack insists on them, for whom, in which set; or as they come.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import type { Shape } from "../../../api/client";
import type { Setting } from "../../../api/settings";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";
import { placeOf } from "./Table";
import { now } from "./values";

interface Props {
  rows: Setting[];
  chosen: ReadonlySet<string>;
  sets: Shape["SettingSetOut"][];
  editing: Editing;
  clear: () => void;
}

export function Many({ rows, chosen, sets, editing, clear }: Props) {
  const those = rows.filter((row) => chosen.has(placeOf(row)));
  const set = (said: { how?: Shape["How"]; side?: Shape["Side"]; set?: string; out_of?: string }) =>
    editing.editThen(
      { kept: clear },
      { do: "set", settings: those.map((one) => ({ path: one.path, key: one.key, value: now(one) })), ...said },
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
      <Act
        label="Set as"
        names={{ enforced: "enforced", "starting value": "starting value", advice: "advice" }}
        act={(how) => set({ how: how as Shape["How"] })}
      />
      <Act
        label="For"
        names={{ both: "players and server", player: "players alone", server: "the server alone" }}
        act={(side) => set({ side: side as Shape["Side"] })}
      />
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

function Act({ label, names, act }: { label: string; names: Record<string, string>; act: (value: string) => void }) {
  return (
    <TextField
      select
      label={label}
      value=""
      onChange={(event) => event.target.value && act(event.target.value)}
      sx={{ width: 150 }}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
    >
      <option value="">…</option>
      {Object.entries(names).map(([value, name]) => (
        <option key={value} value={value}>
          {name}
        </option>
      ))}
    </TextField>
  );
}
