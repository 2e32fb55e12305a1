// One setting: what it is and who says so, its values side by side, how much the pack insists, for whom, and why.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../../api/client";
import { type Plain, type Setting, useMachineSettings } from "../../../api/settings";
import { optionsOf, Pick } from "../../../parts/Pick";
import { when } from "../../../parts/words";
import { mono } from "../../../theme";
import type { Editing } from "../useEditing";
import { placeOf } from "./Table";
import { given, now, rangeOf, SIDES, shown } from "./values";

const SAID_BY: Record<Setting["said_by"], string> = {
  schema: "The mod describes its settings.",
  comment: "From the comments in the file.",
  value: "Nobody says more of it than its value.",
};

const MEANS: Record<Shape["How"], string> = {
  enforced: "enforced: it must match, and the roll call counts it",
  "starting value": "starting value: set once, then the member’s own",
  advice: "advice: told, not set",
};

interface Props {
  packId: string;
  one: Setting;
  sets: Shape["SettingSetOut"][];
  may: boolean;
  editing: Editing;
  asText: () => void;
}

export function Detail({ packId, one, sets, may, editing, asText }: Props) {
  const change = (said: { how?: Shape["How"]; side?: Shape["Side"]; set?: string; because?: string }) =>
    editing.edit({
      do: "set",
      settings: [{ path: one.path, key: one.key, ...given(one, one.to ? one.to.value : one.value) }],
      set: one.to?.set,
      ...(said.set !== undefined && { out_of: one.to?.set }),
      ...said,
    });
  const others = sets.filter((each) => one.to?.also.includes(each.id)).map((each) => each.name);
  const machines = useMachineSettings(may ? packId : "").data ?? [];
  const elsewhere = machines.flatMap((each) =>
    each.rows
      .filter((row) => placeOf(row) === placeOf(one))
      .map((row) => [each.own ? `Mine: ${each.name}` : `${each.member}: ${each.name}`, row.mine as Plain] as const),
  );
  const values = [
    [one.mod ? "As it comes" : "As it was written", one.value],
    ...(one.was_there ? [["Last release", one.released] as const] : []),
    ["In the draft", now(one)],
    ...elsewhere,
  ] as const;
  return (
    <Box component="section" aria-label="The setting in hand" sx={{ display: "grid", gap: 1.25 }}>
      <Box>
        <Typography variant="h2" sx={{ fontFamily: mono, fontSize: "1rem", overflowWrap: "anywhere" }}>
          {one.title || one.key.join(".")}
        </Typography>
        <Box sx={{ fontSize: "0.82rem", color: "text.secondary", overflowWrap: "anywhere" }}>
          {one.title && `${one.key.join(".")} · `}
          {one.path}
        </Box>
      </Box>
      {one.description && (
        <Typography variant="body2" sx={{ whiteSpace: "pre-line", maxWidth: 560 }}>
          {one.description}
        </Typography>
      )}
      <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
        {[one.kind, rangeOf(one), one.allowed.length > 0 && one.allowed.map((each) => shown(each as never)).join(", ")]
          .filter(Boolean)
          .join(" · ")}
        {one.default && ` · default ${one.default}`}
        <div>{SAID_BY[one.said_by]}</div>
      </Box>
      <Box component="table" sx={{ borderCollapse: "collapse", fontSize: "0.88rem", "& td": { py: 0.4, pr: 2 } }}>
        <tbody>
          {values.map(([name, value]) => (
            <Box component="tr" key={name} sx={{ borderTop: 1, borderColor: "divider" }}>
              <Box component="td" sx={{ color: "text.secondary", width: 120 }}>
                {name}
              </Box>
              <Box component="td" sx={{ fontFamily: mono, fontSize: "0.82rem", overflowWrap: "anywhere" }}>
                {shown(value) || "—"}
              </Box>
            </Box>
          ))}
        </tbody>
      </Box>
      {one.to && (
        <>
          <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "minmax(0, 1fr)" }}>
            <Pick
              label="How"
              value={one.to.how}
              options={optionsOf(MEANS)}
              disabled={!may}
              onChange={(how) => change({ how })}
            />
            <Pick
              label="For"
              value={one.to.side}
              options={optionsOf(SIDES)}
              disabled={!may}
              onChange={(side) => change({ side })}
            />
            {sets.length > 0 && (
              <Pick
                label="In the set"
                value={one.to.set}
                options={[
                  { value: "", name: "of no set" },
                  ...sets.map((each) => ({ value: each.id, name: each.name })),
                ]}
                disabled={!may}
                onChange={(set) => change({ set })}
              />
            )}
          </Box>
          <Why
            key={`${one.path} ${one.key.join(".")} ${one.to.because}`}
            because={one.to.because}
            may={may}
            keep={(because) => change({ because })}
          />
          <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
            Set by {one.to.collection ? `the collection ${one.to.collection}` : one.to.by || "somebody"}
            {one.to.at && `, ${when(one.to.at)}`}.{!one.to.holds && ` ${notHeld(one, sets)}`}
            {others.length > 0 && ` Also in ${others.join(", ")}.`}
          </Box>
        </>
      )}
      <Box>
        {one.mod ? (
          <Button variant="outlined" size="small" onClick={asText}>
            The whole file as text
          </Button>
        ) : (
          <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
            The game writes this file itself: the pack sets single keys of it, once it is there.
          </Box>
        )}
      </Box>
    </Box>
  );
}

/** Why what is set here is not what members get. */
function notHeld(one: Setting, sets: Shape["SettingSetOut"][]): string {
  const its = sets.find((each) => each.id === one.to?.set);
  if (its && !its.on) return "Its set is switched off: it does not travel.";
  return its?.offered ? "It holds for those who choose its set." : "A later set says otherwise.";
}

function Why({ because, may, keep }: { because: string; may: boolean; keep: (because: string) => void }) {
  const [text, setText] = useState(because);
  return (
    <TextField
      label="Why"
      value={text}
      disabled={!may}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => text !== because && keep(text)}
      onKeyDown={(event) => event.key === "Enter" && text !== because && keep(text)}
      slotProps={{ htmlInput: { maxLength: 300 } }}
    />
  );
}
