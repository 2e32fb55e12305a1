// What a collection suits: game versions, and loaders with the versions of each.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import type { Shape } from "../api/client";

export type Suits = Shape["SuitsIn"];

export function SuitsFields({
  game,
  value,
  onChange,
  wrong,
}: {
  game: Shape["GameOut"];
  value: Suits;
  onChange: (value: Suits) => void;
  wrong?: string;
}) {
  const loaders = new Map(game.versions.flatMap((one) => one.loaders).map((one) => [one.id, one.name]));
  const said = value.loaders ?? {};
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <TextField
        label="Game versions that it suits"
        value={value.games ?? "*"}
        error={!!wrong}
        helperText={wrong || `A range, as ${game.name} counts them: >=2.0, <2.2. A star means any.`}
        onChange={(event) => onChange({ ...value, games: event.target.value })}
        slotProps={{ htmlInput: { maxLength: 120 } }}
      />
      {loaders.size > 0 && (
        <Box role="group" aria-label="Loaders that it suits" sx={{ display: "flex", gap: 2, flexWrap: "wrap" }}>
          {[...loaders].map(([id, name]) => (
            <FormControlLabel
              key={id}
              control={
                <Checkbox
                  size="small"
                  checked={id in said}
                  onChange={(_, on) => {
                    const { [id]: _gone, ...others } = said;
                    onChange({ ...value, loaders: on ? { ...others, [id]: "*" } : others });
                  }}
                />
              }
              label={name}
            />
          ))}
          <Box sx={{ alignSelf: "center", fontSize: "0.85rem", color: "text.secondary" }}>
            {Object.keys(said).length ? "Only these." : "None chosen: any loader, and none."}
          </Box>
        </Box>
      )}
    </Box>
  );
}
