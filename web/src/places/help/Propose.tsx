// What a curator proposes: a step, a setting on the member's machine, an earlier release, or a build that the draft holds.
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { useDraft, useMod, useReleases } from "../../api/queries";
import { Pick } from "../../parts/Pick";

export type Proposal = NonNullable<Shape["HelpAnswerIn"]["proposal"]>;
type Kind = Proposal["do"];

interface Props {
  one: Shape["HelpCallOut"];
  proposal: Proposal | null;
  setProposal: (proposal: Proposal | null) => void;
}

const KINDS: { value: Kind | ""; name: string }[] = [
  { value: "", name: "nothing" },
  { value: "step", name: "something to do by hand" },
  { value: "setting", name: "a setting on their machine" },
  { value: "release", name: "to stay at another release" },
  { value: "hold", name: "to hold a build, for everybody" },
];

export function Propose(props: Props) {
  const { setProposal } = props;
  const [kind, setKind] = useState<Kind | "">("");
  return (
    <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" } }}>
      <Pick
        label="And propose"
        value={kind}
        options={KINDS}
        onChange={(value) => {
          setKind(value);
          setProposal(null);
        }}
      />
      {kind === "step" && (
        <TextField
          label="What to do"
          onChange={(event) =>
            setProposal(event.target.value.trim() ? { do: "step", text: event.target.value.trim() } : null)
          }
          slotProps={{ htmlInput: { maxLength: 1000 } }}
        />
      )}
      {kind === "setting" && <Setting {...props} />}
      {kind === "release" && <AtRelease {...props} />}
      {kind === "hold" && <Hold {...props} />}
    </Box>
  );
}

/** A value is a number or yes or no where it reads as one; in quotes it is a text. */
function asValue(text: string): string | number | boolean {
  try {
    const value: unknown = JSON.parse(text);
    if (["string", "number", "boolean"].includes(typeof value)) return value as string | number | boolean;
  } catch {
    // It is what it says.
  }
  return text;
}

function Setting({ setProposal }: Props) {
  const [said, setSaid] = useState({ path: "", key: "", value: "" });
  const say = (more: Partial<typeof said>) => {
    const next = { ...said, ...more };
    setSaid(next);
    const key = next.key.split(".").filter(Boolean);
    const whole = next.path.trim() && key.length && next.value !== "";
    setProposal(whole ? { do: "setting", path: next.path.trim(), key, value: asValue(next.value) } : null);
  };
  return (
    <>
      <TextField label="Its file" value={said.path} onChange={(event) => say({ path: event.target.value })} />
      <TextField
        label="Its name"
        helperText="In parts, with dots between"
        value={said.key}
        onChange={(event) => say({ key: event.target.value })}
      />
      <TextField label="Set it to" value={said.value} onChange={(event) => say({ value: event.target.value })} />
    </>
  );
}

function AtRelease({ one, proposal, setProposal }: Props) {
  const releases = useReleases(one.pack_id).data ?? [];
  const open = releases.filter((each) => !each.withdrawn && each.number !== one.number);
  return (
    <Pick
      label="The release"
      value={proposal?.do === "release" ? proposal.number : ""}
      options={[{ value: "", name: "choose" }, ...open.map((each) => ({ value: each.number, name: each.number }))]}
      onChange={(number) => setProposal(number ? { do: "release", number } : null)}
    />
  );
}

function Hold({ one, setProposal }: Props) {
  const lines = useDraft(one.pack_id).data?.lines ?? [];
  const named = lines.filter((line) => one.mods.includes(line.mod));
  const others = lines.filter((line) => !one.mods.includes(line.mod));
  const [mod, setMod] = useState("");
  return (
    <>
      <Pick
        label="The mod"
        value={mod}
        options={[
          { value: "", name: "choose" },
          ...[...named, ...others].map((line) => ({ value: line.mod, name: line.name })),
        ]}
        onChange={(value) => {
          setMod(value);
          setProposal(null);
        }}
      />
      {mod && <Builds packId={one.pack_id} mod={mod} setProposal={setProposal} />}
    </>
  );
}

function Builds({ packId, mod, setProposal }: { packId: string; mod: string; setProposal: Props["setProposal"] }) {
  const builds = useMod(packId, mod).data?.builds ?? [];
  const [version, setVersion] = useState("");
  return (
    <Pick
      label="Its build"
      value={version}
      options={[{ value: "", name: "choose" }, ...builds.map((each) => ({ value: each.version, name: each.version }))]}
      onChange={(value) => {
        setVersion(value);
        setProposal(value ? { do: "hold", mod, version: value } : null);
      }}
    />
  );
}
