// What stands beside the table while no setting is in hand: the sets, what could not be read, and settings of files
// that no build carries.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../../api/client";
import { useDraft, usePacks } from "../../../api/queries";
import type { Asked } from "../../../api/settings";
import { Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";
import { TakeOver } from "./TakeOver";
import { freeId, shown } from "./values";

interface Props {
  packId: string;
  first: Shape["SettingsOut"] | undefined;
  may: boolean;
  editing: Editing;
  ask: (said: Partial<Asked>) => void;
}

export function Sets({ packId, first, may, editing, ask }: Props) {
  return (
    <Box sx={{ display: "grid", gap: 2 }}>
      <Box component="section" aria-label="Sets">
        <Typography variant="h2">Sets</Typography>
        <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
          Settings that go together, switched on and off as one: choose some in the table, and put them into a set.
        </Typography>
        {first?.sets.map((one) => (
          <OneSet key={one.id} one={one} may={may} editing={editing} ask={ask} />
        ))}
        {may && <NewSet editing={editing} there={first?.sets ?? []} />}
        {may && <FromElsewhere packId={packId} editing={editing} there={first?.sets ?? []} />}
      </Box>
      {!!first?.lone.length && (
        <Box component="section" aria-label="Settings of other files">
          <Typography variant="h3">Set in files that no build carries</Typography>
          {first.lone.map((one) => (
            <Box
              key={`${one.path} ${one.key.join(".")}`}
              sx={{ fontSize: "0.85rem", py: 0.5, overflowWrap: "anywhere" }}
            >
              <code>
                {one.path} · {one.key.join(".")} = {shown(one.to?.value)}
              </code>{" "}
              {one.to?.how}
              {may && (
                <Button
                  size="small"
                  sx={{ py: 0 }}
                  aria-label={`No longer set ${one.key.join(".")} in ${one.path}`}
                  onClick={() => editing.edit({ do: "reset", settings: [{ path: one.path, key: one.key }] })}
                >
                  Set it no more
                </Button>
              )}
            </Box>
          ))}
        </Box>
      )}
      {may && <TakeOver packId={packId} editing={editing} />}
      {may && <ByName editing={editing} />}
      {!!first?.unread.length && (
        <Box component="section" aria-label="Files that are not read">
          <Typography variant="h3">{many(first.unread.length, "file")} not read</Typography>
          {first.unread.slice(0, 20).map((one) => (
            <Box
              key={one.path}
              sx={{ fontSize: "0.82rem", color: "text.secondary", overflowWrap: "anywhere", py: 0.25 }}
            >
              <code>{one.path}</code>{" "}
              {one.why || "Nobody has read it yet: a member’s agent tells of it where only a person may fetch it."}
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}

function OneSet({ one, may, editing, ask }: Omit<Props, "packId" | "first"> & { one: Shape["SettingSetOut"] }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, borderTop: 1, borderColor: "divider", py: 0.25 }}>
      <Switch
        size="small"
        checked={one.on}
        disabled={!may}
        onChange={() => editing.edit({ do: "keep set", id: one.id, on: !one.on })}
        slotProps={{ input: { "aria-label": `The set ${one.name}` } }}
      />
      <Button
        size="small"
        sx={{ justifyContent: "start", textAlign: "left", flex: 1 }}
        onClick={() => ask({ set: one.id, words: "", only: "" })}
      >
        {one.name}
        {one.offered && " · each member’s choice"}
      </Button>
      <Box component="span" sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
        {many(one.keys, "setting")}
      </Box>
      {(may || one.offered) && (
        <Button
          size="small"
          disabled={!may}
          aria-label={`${one.offered ? "For all" : "Leave to members"}: the set ${one.name}`}
          onClick={() => editing.edit({ do: "keep set", id: one.id, offered: !one.offered })}
        >
          {one.offered ? "For all" : "Leave to members"}
        </Button>
      )}
      {may && (
        <Button
          size="small"
          aria-label={`Drop the set ${one.name}`}
          onClick={() => editing.edit({ do: "drop set", id: one.id, keep_settings: false })}
        >
          Drop
        </Button>
      )}
    </Box>
  );
}

function NewSet({ editing, there }: { editing: Editing; there: Shape["SettingSetOut"][] }) {
  const [name, setName] = useState("");
  const isThere = there.some((one) => one.name.toLowerCase() === name.trim().toLowerCase());
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, pt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        const id = freeId(
          name,
          there.map((one) => one.id),
        );
        if (!isThere) editing.editThen({ kept: () => setName("") }, { do: "keep set", id, name: name.trim() });
      }}
    >
      <TextField
        label="A new set"
        required
        value={name}
        error={isThere}
        helperText={isThere && "There is one of this name."}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" variant="outlined" sx={{ flex: "none", alignSelf: "start" }} disabled={isThere}>
        Make it
      </Button>
    </Box>
  );
}

const named = (those: { id: string; name: string }[]) => those.map(({ id, name }) => ({ value: id, name }));

/** Sets of one's other packs. */
function FromElsewhere(props: { packId: string; editing: Editing; there: Shape["SettingSetOut"][] }) {
  const others = (usePacks().data ?? []).filter((one) => one.id !== props.packId);
  const [pack, setPack] = useState("");
  const sets = useDraft(pack).data?.tweak_sets.filter((one) => !props.there.some((each) => each.id === one.id));
  const [id, setId] = useState("");
  if (!others.length) return null;
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, pt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        props.editing.editThen({ kept: () => setId("") }, { do: "copy set", pack, id });
      }}
    >
      <Pick
        label="From"
        required
        value={pack}
        options={[{ value: "", name: "another pack …" }, ...named(others)]}
        onChange={setPack}
      />
      <Pick
        label="Its set"
        required
        value={id}
        options={[{ value: "", name: pack && !sets?.length ? "it has none" : "…" }, ...named(sets ?? [])]}
        onChange={setId}
      />
      <Button type="submit" variant="outlined" sx={{ flex: "none" }} disabled={!id}>
        Take over
      </Button>
    </Box>
  );
}

/** Those who know the file and the key may say them: of a file of the game's own nothing else is known yet. */
function ByName({ editing }: { editing: Editing }) {
  const [path, setPath] = useState("");
  const [key, setKey] = useState("");
  const [text, setText] = useState("");
  const done = () => {
    setKey("");
    setText("");
  };
  return (
    <Box
      component="form"
      aria-label="Set a key by its name"
      sx={{ display: "grid", gap: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        editing.editThen(
          { kept: done },
          { do: "set", settings: [{ path, key: key.split(".").map((one) => one.trim()), text }] },
        );
      }}
    >
      <Typography variant="h3">Of a file that is not listed</Typography>
      <TextField label="Path of the file" required value={path} onChange={(event) => setPath(event.target.value)} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <TextField label="Key" required value={key} onChange={(event) => setKey(event.target.value)} />
        <TextField label="Value" required value={text} onChange={(event) => setText(event.target.value)} />
        <Button type="submit" variant="outlined" sx={{ flex: "none" }}>
          Set it
        </Button>
      </Box>
    </Box>
  );
}
