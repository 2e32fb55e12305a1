// One of a few, by the browser's own list: on a phone it is the phone's.
import type { SxProps } from "@mui/material/styles";
import TextField from "@mui/material/TextField";

export interface Option<T extends string = string> {
  value: T;
  name: string;
}

interface Props<T extends string> {
  label: string;
  value: T;
  options: Option<T>[];
  disabled?: boolean;
  required?: boolean;
  sx?: SxProps;
  onChange: (value: T) => void;
}

export function Pick<T extends string>({ label, value, options, disabled, required, sx, onChange }: Props<T>) {
  return (
    <TextField
      select
      label={label}
      value={value}
      disabled={disabled}
      required={required}
      sx={sx}
      onChange={(event) => onChange(event.target.value as T)}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
    >
      {!options.length && <option value="">none</option>}
      {options.map((one) => (
        <option key={one.value} value={one.value}>
          {one.name}
        </option>
      ))}
    </TextField>
  );
}

/** A table of words as options, in its order. */
export const optionsOf = <T extends string>(names: Record<T, string>): Option<T>[] =>
  (Object.entries(names) as [T, string][]).map(([value, name]) => ({ value, name }));
