// Calls of other services: where, with what, how each went, and once more.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useCalls, useHooks } from "../../api/outside";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { clock, day, when } from "../../parts/words";
import { mono } from "../../theme";
import { Section } from "./Section";

type Happened = Shape["Happened"];

const KINDS: { kind: Happened; name: string }[] = [
  { kind: "release", name: "a release" },
  { kind: "trial", name: "a trial release" },
  { kind: "withdrawal", name: "a withdrawal" },
  { kind: "departure-set", name: "a departure" },
  { kind: "departure-moved", name: "a departure that moves" },
  { kind: "departure-off", name: "a departure called off" },
  { kind: "playthrough-opened", name: "a playthrough opened" },
  { kind: "playthrough-ended", name: "a playthrough ended" },
  { kind: "milestone", name: "a milestone" },
  { kind: "retired", name: "the pack's retirement" },
];

export function Hooks({ packId }: { packId: string }) {
  const hooks = useHooks(packId, true);
  const [making, setMaking] = useState(false);
  return (
    <Section
      title="Calls of other services"
      about="What happens to this pack is sent to an address of yours, signed: for a chat, a bot, a server."
    >
      <Loaded query={hooks} rows={2}>
        {(list) => (
          <>
            {list.map((one) => (
              <OneHook key={one.id} packId={packId} one={one} />
            ))}
            {making ? (
              <NewHook packId={packId} close={() => setMaking(false)} />
            ) : (
              <Button variant={list.length ? "text" : "outlined"} size="small" onClick={() => setMaking(true)}>
                Call an address
              </Button>
            )}
          </>
        )}
      </Loaded>
    </Section>
  );
}

function NewHook({ packId, close }: { packId: string; close: () => void }) {
  const [address, setAddress] = useState("");
  const [kinds, setKinds] = useState<Happened[]>(["release", "withdrawal"]);
  const make = useChange(
    () =>
      told(api.POST("/api/packs/{pack_id}/hooks", { params: { path: { pack_id: packId } }, body: { address, kinds } })),
    ["pack", packId, "hooks"],
  );
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 1, pt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(undefined, { onSuccess: close });
      }}
    >
      <TextField
        label="Address"
        required
        autoFocus
        placeholder="https://"
        value={address}
        onChange={(event) => setAddress(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 500, inputMode: "url" } }}
      />
      <Box component="fieldset" sx={{ border: 0, p: 0, m: 0 }}>
        <legend style={{ fontSize: "0.85rem" }}>It is told of</legend>
        {KINDS.map(({ kind, name }) => (
          <FormControlLabel
            key={kind}
            label={name}
            control={
              <Checkbox
                size="small"
                checked={kinds.includes(kind)}
                onChange={(_, on) => setKinds(on ? [...kinds, kind] : kinds.filter((one) => one !== kind))}
              />
            }
          />
        ))}
      </Box>
      <RefusalRemark error={make.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={make.isPending || !kinds.length}>
          Call it
        </Button>
        <Button onClick={close}>Not now</Button>
      </Box>
    </Box>
  );
}

function OneHook({ packId, one }: { packId: string; one: Shape["HookOut"] }) {
  const [open, setOpen] = useState(false);
  const params = { path: { pack_id: packId, hook_id: one.id } };
  const about = ["pack", packId, "hooks"];
  const at = "/api/packs/{pack_id}/hooks/{hook_id}" as const;
  const attempt = useChange(() => told(api.POST(`${at}/try`, { params })), about);
  const turn = useChange(() => told(api.PATCH(at, { params, body: { on: !one.on } })), about);
  const remove = useChange(() => told(api.DELETE(at, { params })), about);
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 1 }}>
      <Box sx={{ fontFamily: mono, fontSize: "0.85rem", overflowWrap: "anywhere" }}>{one.address}</Box>
      <Box sx={{ fontSize: "0.85rem", color: one.on ? "text.secondary" : "warning.main" }}>
        {one.on
          ? KINDS.filter(({ kind }) => one.kinds.includes(kind))
              .map(({ name }) => name)
              .join(", ")
          : `◆ off. ${one.off_because}`}
      </Box>
      <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", alignItems: "center" }}>
        <Button
          size="small"
          disabled={attempt.isPending || !one.on}
          onClick={() => attempt.mutate(undefined, { onSuccess: () => setOpen(true) })}
        >
          Try it
        </Button>
        <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide the log" : "Log"}
        </Button>
        <Copy text={one.secret} name="Copy secret" />
        <Button size="small" onClick={() => turn.mutate(undefined)}>
          {one.on ? "Switch off" : "Switch on"}
        </Button>
        <Button size="small" color="error" onClick={() => remove.mutate(undefined)}>
          Remove
        </Button>
      </Box>
      <RefusalRemark error={attempt.error ?? turn.error ?? remove.error} />
      {open && <Log packId={packId} hook={one} />}
    </Box>
  );
}

const STATES: Record<Shape["CallState"], { shape: string; word: string; colour: string }> = {
  waits: { shape: "◐", word: "waits", colour: "warning.main" },
  taken: { shape: "●", word: "taken", colour: "primary.main" },
  failed: { shape: "▬", word: "failed", colour: "error.main" },
};

function Log({ packId, hook }: { packId: string; hook: Shape["HookOut"] }) {
  const calls = useCalls(packId, hook.id);
  const again = useChange(
    (call_id: string) =>
      told(
        api.POST("/api/packs/{pack_id}/hooks/{hook_id}/calls/{call_id}/again", {
          params: { path: { pack_id: packId, hook_id: hook.id, call_id } },
        }),
      ),
    ["pack", packId, "hooks"],
  );
  return (
    <Loaded query={calls} rows={2}>
      {(list) =>
        list.length === 0 ? (
          <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>Nothing was sent yet.</Box>
        ) : (
          <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, fontSize: "0.88rem" }}>
            {list.map((one) => {
              const { shape, word, colour } = STATES[one.state];
              return (
                <Box component="li" key={one.id} sx={{ borderTop: 1, borderColor: "divider", py: 0.75 }}>
                  <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
                    <Box component="span" sx={{ color: colour, fontWeight: 600, minWidth: 66 }}>
                      <span aria-hidden>{shape}</span> {word}
                    </Box>
                    <span>{KINDS.find(({ kind }) => kind === one.kind)?.name ?? one.kind.replace("-", " ")}</span>
                    <Box component="span" sx={{ color: "text.secondary", flex: 1 }}>
                      {when(one.at)}
                      {one.tries > 0 && ` · ${one.tries === 1 ? "one try" : `${one.tries} tries`}, ${one.took_ms} ms`}
                    </Box>
                    <Button size="small" disabled={again.isPending || !hook.on} onClick={() => again.mutate(one.id)}>
                      Send again
                    </Button>
                  </Box>
                  {one.told && <Box sx={{ overflowWrap: "anywhere" }}>{one.told}</Box>}
                  {one.next_at && (
                    <Box sx={{ color: "text.secondary" }}>
                      Tried again {day(one.next_at)}, {clock(one.next_at)}
                    </Box>
                  )}
                  <Box component="details" sx={{ "& summary": { cursor: "pointer" } }}>
                    <summary>What was sent</summary>
                    <Box
                      component="pre"
                      tabIndex={0}
                      sx={{ m: 0, fontSize: "0.78rem", overflow: "auto", maxHeight: 260 }}
                    >
                      {readable(one.body)}
                    </Box>
                  </Box>
                </Box>
              );
            })}
            <RefusalRemark error={again.error} />
          </Box>
        )
      }
    </Loaded>
  );
}

function readable(body: string): string {
  try {
    return JSON.stringify(JSON.parse(body), null, 1);
  } catch {
    return body;
  }
}
