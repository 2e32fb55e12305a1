// A release, or the draft, as a file: what goes in, how large that is, what stays outside; made while one waits, or not.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { type Asked, isMaking, usePackingPlan, usePackings } from "../../api/outside";
import { useChange, useReleases } from "../../api/queries";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { bytes, many, when } from "../../parts/words";
import { Section } from "./Section";

const FORMS = [
  { value: "bag", name: "A pack to open, join or keep" },
  { value: "share", name: "A server's folder to lay down" },
];
const SIDES = [
  { value: "both", name: "players and server" },
  { value: "player", name: "players" },
  { value: "server", name: "the server" },
];

export function AsFile({ pack }: { pack: Shape["PackOut"] }) {
  const releases = useReleases(pack.id);
  return (
    <Section
      title="As a file"
      about="Everything that may travel, with the signed release: for another crew or site, a train, or ten years later."
    >
      <Loaded query={releases} rows={4}>
        {(list) => <Choose pack={pack} numbers={list.filter((one) => !one.withdrawn).map((one) => one.number)} />}
      </Loaded>
      <Made packId={pack.id} />
    </Section>
  );
}

function Choose({ pack, numbers }: { pack: Shape["PackOut"]; numbers: string[] }) {
  const may = pack.role !== "member";
  const [asked, setAsked] = useState<Asked>({
    number: numbers[0] ?? "",
    form: "bag",
    side: "both",
    builds: true,
    own: true,
  });
  const say = (what: Partial<Asked>) => setAsked({ ...asked, ...what });
  const share = asked.form === "share";
  const make = useChange(
    () => told(api.POST("/api/packs/{pack_id}/packings", { params: { path: { pack_id: pack.id } }, body: asked })),
    ["pack", pack.id, "packings"],
  );
  const options = [
    ...numbers.map((one) => ({ value: one, name: `release ${one}` })),
    ...(may ? [{ value: "", name: "the draft, unsigned" }] : []),
  ];
  if (!options.length) return <Box sx={{ color: "text.secondary" }}>There is no release yet.</Box>;
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(undefined);
      }}
    >
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" } }}>
        <Pick label="Of" value={asked.number} options={options} onChange={(number) => say({ number })} />
        <Pick
          label="As"
          value={asked.form}
          options={FORMS}
          onChange={(form) => say({ form: form as Asked["form"], side: form === "share" ? "server" : "both" })}
        />
        <Pick
          label="For"
          value={asked.side}
          options={share ? SIDES.slice(1) : SIDES}
          onChange={(side) => say({ side: side as Asked["side"] })}
        />
      </Box>
      <Box>
        <FormControlLabel
          control={<Checkbox size="small" checked={asked.builds} onChange={(_, builds) => say({ builds })} />}
          label="Mods that may travel"
        />
        {!share && (
          <FormControlLabel
            control={<Checkbox size="small" checked={asked.own} onChange={(_, own) => say({ own })} />}
            label="The pack's own files"
          />
        )}
      </Box>
      <Planned packId={pack.id} asked={asked} />
      <RefusalRemark error={make.error} />
      <Box>
        <Button type="submit" variant="contained" disabled={make.isPending}>
          Make the file
        </Button>
      </Box>
    </Box>
  );
}

/** What it would come to, while one chooses. */
function Planned({ packId, asked }: { packId: string; asked: Asked }) {
  const plan = usePackingPlan(packId, asked);
  return (
    <Box sx={{ minHeight: 48, fontSize: "0.9rem" }} aria-live="polite">
      {plan.isError && <RefusalRemark error={plan.error} />}
      {plan.data && (
        <>
          <strong>{bytes(plan.data.inside)}</strong>: {many(plan.data.builds, "mod")} inside
          {plan.data.outside.length > 0 && (
            <Box component="details" sx={{ "& summary": { cursor: "pointer" } }}>
              <summary>{plan.data.outside.length} stay outside</summary>
              <Box component="ul" sx={{ m: 0, pl: 2, maxHeight: 220, overflow: "auto" }} tabIndex={0}>
                {plan.data.outside.map((one) => (
                  <li key={one.name}>
                    <strong>{one.name}</strong> {one.version}, {bytes(one.size)}. {one.why}{" "}
                    {one.address ? "Any program fetches it." : "A person has to get it."}
                  </li>
                ))}
              </Box>
            </Box>
          )}
        </>
      )}
    </Box>
  );
}

function Made({ packId }: { packId: string }) {
  const made = usePackings(packId);
  if (!made.data?.length) return null;
  return (
    <Box sx={{ mt: 2 }}>
      {made.data.map((one) => (
        <OneMade key={one.id} packId={packId} one={one} />
      ))}
      <Box sx={{ fontSize: "0.82rem", color: "text.secondary", mt: 0.5 }}>Files are kept for a day.</Box>
    </Box>
  );
}

function OneMade({ packId, one }: { packId: string; one: Shape["PackingOut"] }) {
  const path = { pack_id: packId, packing_id: one.id };
  const stop = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/packings/{packing_id}", { params: { path } })),
    ["pack", packId, "packings"],
  );
  const making = isMaking(one);
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 1, fontSize: "0.92rem" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 160, overflowWrap: "anywhere" }}>
          {one.state === "done" ? (
            <Link href={`/api/packs/${packId}/packings/${one.id}/file`} download={one.name}>
              {one.name}
            </Link>
          ) : (
            one.name
          )}
          <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
            {one.state === "done" ? bytes(one.size) : making ? "being made" : one.state} · {one.by}, {when(one.at)}
          </Box>
        </Box>
        <Button size="small" color={making ? "error" : "inherit"} onClick={() => stop.mutate(undefined)}>
          {making ? "Stop" : "Forget"}
        </Button>
      </Box>
      {making && (
        <LinearProgress
          variant={one.done ? "determinate" : "indeterminate"}
          value={one.total ? Math.min(100, (100 * one.done) / one.total) : 0}
          aria-label={`Making ${one.name}`}
        />
      )}
      {one.told && <Box sx={{ color: "error.main" }}>{one.told}</Box>}
      {one.left.length > 0 && (
        <Box component="details" sx={{ fontSize: "0.85rem", "& summary": { cursor: "pointer" } }}>
          <summary>{one.left.length} stayed outside</summary>
          {one.left.map((line) => (
            <div key={line}>{line}</div>
          ))}
        </Box>
      )}
      <RefusalRemark error={stop.error} />
    </Box>
  );
}
