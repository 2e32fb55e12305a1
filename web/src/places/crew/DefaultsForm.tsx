// What holds for installations that say nothing themselves: a person's own, or a crew's.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useCrewDefaults, useOwnDefaults } from "../../api/outside";
import { useChange } from "../../api/queries";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";

type Said = Shape["DefaultsBody"];
export type Name = keyof Said;

export const FIELDS: { name: Name; label: string; product: string }[] = [
  { name: "memory_share", label: "Memory for the game, in percent", product: "33" },
  { name: "line_kb", label: "KB a second at most (0: any)", product: "0" },
  { name: "most_mb", label: "Ask above MB (0: never)", product: "0" },
  { name: "kept_backups", label: "Backups before syncs that stay", product: "8" },
];

export const wholeOrNothing = (text: string) => (text.trim() === "" ? null : Math.floor(Number(text)));

export function OwnDefaults() {
  const said = useOwnDefaults();
  const keep = useChange((body: Said) => told(api.PUT("/api/defaults", { body })), ["defaults"], ["installation"]);
  return (
    <Loaded query={said} rows={2}>
      {(now) => <Fields said={now} busy={keep.isPending} error={keep.error} keep={keep.mutate} />}
    </Loaded>
  );
}

export function CrewDefaults({ crewId, may }: { crewId: string; may: boolean }) {
  const said = useCrewDefaults(crewId);
  const [mail, setMail] = useState<Shape["CrewDefaultsBody"]["mail"]>("");
  useEffect(() => setMail(said.data?.mail ?? ""), [said.data]);
  const keep = useChange(
    (body: Said) =>
      told(
        api.PUT("/api/crews/{crew_id}/defaults", { params: { path: { crew_id: crewId } }, body: { ...body, mail } }),
      ),
    ["crew", crewId, "defaults"],
  );
  return (
    <Loaded query={said} rows={2}>
      {(now) => (
        <Fields
          said={now}
          busy={keep.isPending}
          error={keep.error}
          keep={keep.mutate}
          may={may}
          moved={mail !== now.mail}
        >
          <Pick
            label="Its news by mail"
            value={mail}
            disabled={!may}
            options={[
              { value: "", name: "once a day" },
              { value: "at-once", name: "at once" },
              { value: "never", name: "not by mail" },
            ]}
            onChange={(way) => setMail(way as typeof mail)}
          />
        </Fields>
      )}
    </Loaded>
  );
}

function Fields(props: {
  said: Said;
  busy: boolean;
  error: Error | null;
  keep: (said: Said) => void;
  may?: boolean;
  moved?: boolean;
  children?: React.ReactNode;
}) {
  const told = (said: Said) =>
    Object.fromEntries(
      FIELDS.map(({ name }) => [name, said[name] === null || said[name] === undefined ? "" : String(said[name])]),
    );
  const [texts, setTexts] = useState<Record<string, string>>(told(props.said));
  const may = props.may ?? true;
  const changed = props.moved || FIELDS.some(({ name }) => wholeOrNothing(texts[name]) !== (props.said[name] ?? null));
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        props.keep(Object.fromEntries(FIELDS.map(({ name }) => [name, wholeOrNothing(texts[name])])) as Said);
      }}
    >
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" }, my: 1.5 }}>
        {FIELDS.map(({ name, label, product }) => (
          <TextField
            key={name}
            label={label}
            placeholder={product}
            disabled={!may}
            value={texts[name]}
            onChange={(event) => setTexts({ ...texts, [name]: event.target.value.replace(/\D/g, "").slice(0, 9) })}
            slotProps={{ htmlInput: { inputMode: "numeric" }, inputLabel: { shrink: true } }}
          />
        ))}
        {props.children}
      </Box>
      <RefusalRemark error={props.error} />
      {may && (
        <Button type="submit" variant="outlined" disabled={props.busy || !changed}>
          Keep
        </Button>
      )}
    </Box>
  );
}
