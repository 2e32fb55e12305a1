// What its crew's owner does with a whole pack: another name, another crew, retired and brought back.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useMe } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { Section } from "./Section";

type Pack = Shape["PackOut"];

export function Fate({ pack }: { pack: Pack }) {
  return (
    <Section title="The pack itself">
      {pack.retired ? (
        <BringBack packId={pack.id} />
      ) : (
        <Box sx={{ display: "grid", gap: 2, mt: 1 }}>
          <Rename pack={pack} />
          <Move pack={pack} />
          <Retire packId={pack.id} />
        </Box>
      )}
    </Section>
  );
}

function Rename({ pack }: { pack: Pack }) {
  const [name, setName] = useState(pack.name);
  const rename = useChange(
    () => told(api.PATCH("/api/packs/{pack_id}", { params: { path: { pack_id: pack.id } }, body: { name } })),
    ["pack", pack.id],
    ["packs"],
  );
  return (
    <OneLine
      act={() => rename.mutate(undefined)}
      button="Rename"
      off={rename.isPending || name.trim() === pack.name || !name.trim()}
      error={rename.error}
    >
      <TextField
        label="Name"
        value={name}
        onChange={(event) => setName(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 60 } }}
      />
    </OneLine>
  );
}

function Move({ pack }: { pack: Pack }) {
  const crews = (useMe().data?.crews ?? []).filter((one) => one.id !== pack.crew_id && one.role !== "member");
  const [to, setTo] = useState("");
  const move = useChange(
    () => told(api.PUT("/api/packs/{pack_id}/crew", { params: { path: { pack_id: pack.id } }, body: { crew: to } })),
    ["pack", pack.id],
    ["packs"],
  );
  if (!crews.length) return null;
  return (
    <OneLine act={() => move.mutate(undefined)} button="Move it" off={move.isPending || !to} error={move.error}>
      <Pick
        label="To another crew"
        value={to}
        options={[{ value: "", name: "stays here" }, ...crews.map((one) => ({ value: one.id, name: one.name }))]}
        onChange={setTo}
      />
      {to && (
        <Box sx={{ fontSize: "0.85rem", mt: 0.5 }}>
          Machines of people who are in that crew go along. Others keep what they have and get no more releases; open
          join codes end.
        </Box>
      )}
    </OneLine>
  );
}

function Retire({ packId }: { packId: string }) {
  const [asked, setAsked] = useState(false);
  const [why, setWhy] = useState("");
  const retire = useChange(
    () => told(api.POST("/api/packs/{pack_id}/retirement", { params: { path: { pack_id: packId } }, body: { why } })),
    ["pack", packId],
    ["packs"],
  );
  if (!asked)
    return (
      <Box>
        <Button color="error" variant="outlined" size="small" onClick={() => setAsked(true)}>
          Retire the pack
        </Button>
      </Box>
    );
  return (
    <Remark tone="warning">
      Nobody edits, publishes or joins it any more, and its people are told. What lies on their machines stays.
      <Box sx={{ mt: 1.5 }}>
        <OneLine
          act={() => retire.mutate(undefined)}
          button="Retire it"
          off={retire.isPending || !why.trim()}
          error={retire.error}
        >
          <TextField
            label="Why, for everybody to read"
            autoFocus
            value={why}
            onChange={(event) => setWhy(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 300 } }}
          />
        </OneLine>
        <Button size="small" onClick={() => setAsked(false)}>
          Keep it going
        </Button>
      </Box>
    </Remark>
  );
}

function BringBack({ packId }: { packId: string }) {
  const back = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/retirement", { params: { path: { pack_id: packId } } })),
    ["pack", packId],
    ["packs"],
  );
  return (
    <>
      <Button variant="contained" sx={{ mt: 1 }} disabled={back.isPending} onClick={() => back.mutate(undefined)}>
        Bring it back
      </Button>
      <RefusalRemark error={back.error} />
    </>
  );
}

function OneLine(props: {
  act: () => void;
  button: string;
  off: boolean;
  error: Error | null;
  children: React.ReactNode;
}) {
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        props.act();
      }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
        <Box sx={{ flex: 1, minWidth: 0 }}>{props.children}</Box>
        <Button type="submit" variant="outlined" disabled={props.off} sx={{ whiteSpace: "nowrap", mt: 0.25 }}>
          {props.button}
        </Button>
      </Box>
      <RefusalRemark error={props.error} />
    </Box>
  );
}
