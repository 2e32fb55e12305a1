// Take over from a machine: what somebody who plays the pack tuned there, in the game, to be ticked and handed out.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../../api/client";
import { useDraft } from "../../../api/queries";
import { type Plain, useMachineSettings } from "../../../api/settings";
import { Pick } from "../../../parts/Pick";
import { many, when } from "../../../parts/words";
import { mono } from "../../../theme";
import type { Editing } from "../useEditing";
import { placeOf } from "./Table";
import { shown } from "./values";

export function TakeOver({ packId, editing }: { packId: string; editing: Editing }) {
  const machines = useMachineSettings(packId).data?.filter((each) => each.rows.length);
  const [from, setFrom] = useState("");
  const one =
    machines?.find((each) => each.installation === from) ??
    likeliest(machines?.filter((each) => each.own)) ??
    machines?.[0];
  return (
    <Box component="section" aria-label="Take over from a machine">
      <Typography variant="h2">Take over from a machine</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
        Tune it in the game, then hand it out: what a machine has otherwise than the pack placed it. A machine tells of
        it where its member allowed that on the installation’s page.
      </Typography>
      {machines && machines.length > 1 && (
        <Pick
          label="Machine"
          value={one?.installation ?? ""}
          options={machines.map((each) => ({
            value: each.installation,
            name: `${each.own ? "mine" : each.member}: ${each.name} (${many(each.rows.length, "setting")})`,
          }))}
          onChange={setFrom}
        />
      )}
      {one && <Ticked key={one.installation} packId={packId} one={one} editing={editing} />}
      {machines && !one && <Box sx={{ fontSize: "0.88rem" }}>No machine has told of anything yet.</Box>}
    </Box>
  );
}

/** Of one's own machines the one that was tuned most: it is played on. */
const likeliest = (own: Shape["MachineSettingsOut"][] | undefined) =>
  own?.toSorted((one, other) => other.rows.length - one.rows.length)[0];

interface Props {
  packId: string;
  one: Shape["MachineSettingsOut"];
  editing: Editing;
}

function Ticked({ packId, one, editing }: Props) {
  const draft = useDraft(packId).data;
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const those = one.rows.filter((row) => ticked.has(placeOf(row)));
  const set = new Map(draft?.tweaks.map((tweak) => [placeOf(tweak), tweak.value]));
  const take = () =>
    editing.editThen(
      { kept: () => setTicked(new Set()) },
      {
        do: "set",
        settings: those.map((row) => ({ path: row.path, key: row.key, value: row.mine as Plain, text: row.text })),
      },
    );
  return (
    <>
      <Box sx={{ fontSize: "0.82rem", color: "text.secondary", py: 0.75 }}>
        {one.own ? "Mine" : one.member}, heard from {when(one.heard_at)}
      </Box>
      {one.rows.map((row) => {
        const place = placeOf(row);
        const isSet = shown(set.get(place) as Plain) === shown(row.mine as Plain) && set.has(place);
        return (
          <Box
            key={place}
            sx={{ display: "flex", gap: 0.75, borderTop: 1, borderColor: "divider", py: 0.5, alignItems: "flex-start" }}
          >
            <Checkbox
              size="small"
              sx={{ p: 0.25 }}
              disabled={isSet || row.mine === null}
              checked={ticked.has(place)}
              onChange={(event) =>
                setTicked(
                  event.target.checked
                    ? new Set([...ticked, place])
                    : new Set([...ticked].filter((each) => each !== place)),
                )
              }
              slotProps={{ input: { "aria-label": `Take ${row.key.join(".")}` } }}
            />
            <Box sx={{ minWidth: 0, fontSize: "0.85rem", overflowWrap: "anywhere" }}>
              <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
                {row.key.join(".")}
              </Box>{" "}
              {shown(row.was as Plain) || "nothing"} → <strong>{shown(row.mine as Plain) || "not there"}</strong>
              <Box sx={{ color: "text.secondary", fontSize: "0.8rem" }}>
                {row.path}
                {isSet && " · the pack sets it so already"}
              </Box>
            </Box>
          </Box>
        );
      })}
      <Button variant="outlined" size="small" sx={{ mt: 1 }} disabled={!those.length || editing.pending} onClick={take}>
        {those.length ? `Take ${many(those.length, "setting")} over` : "Take over what is ticked"}
      </Button>
    </>
  );
}
