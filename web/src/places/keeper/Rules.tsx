// The site's rules: who may make an account, and how much of what.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { when } from "../../parts/words";
import { mono } from "../../theme";
import { useInvitations, useKeeper } from "./queries";
import { Table } from "./Table";

type Settled = Shape["RulesOut"];

const WHO: Record<Settled["registration"], string> = {
  open: "anybody",
  invited: "who has an invitation, or a pack's join code",
  closed: "nobody",
};

const LIMITS: [keyof Omit<Settled, "registration">, string][] = [
  ["upload_mb", "MB of one file that is dropped in"],
  ["crew_mb", "MB that a crew keeps in files"],
  ["account_mb", "MB that one person drops in, in all of their crews"],
  ["site_mb", "MB that this site keeps in files, all told"],
  ["crews_per_person", "Crews that one person may own"],
  ["packs_per_crew", "Packs of one crew"],
];

export function Rules() {
  const keeper = useKeeper();
  return (
    <Loaded query={keeper}>
      {(page) => (
        <>
          <Form key={JSON.stringify(page.rules)} rules={page.rules} />
          {page.rules.registration === "invited" && <Invitations />}
        </>
      )}
    </Loaded>
  );
}

function Form({ rules }: { rules: Settled }) {
  const [now, setNow] = useState(rules);
  const keep = useChange(() => told(api.PATCH("/api/keeper/rules", { body: now })), ["keeper"], ["me"]);
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2, maxWidth: 460 }}
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate(undefined);
      }}
    >
      <Pick
        label="Who may make an account"
        value={now.registration}
        options={Object.entries(WHO).map(([value, name]) => ({ value, name }))}
        onChange={(registration) => setNow({ ...now, registration: registration as Settled["registration"] })}
      />
      {LIMITS.map(([name, label]) => (
        <TextField
          key={name}
          label={label}
          type="number"
          value={now[name]}
          slotProps={{ htmlInput: { min: name.endsWith("mb") ? 1 : 0 } }}
          onChange={(event) => setNow({ ...now, [name]: Number(event.target.value) })}
        />
      ))}
      <RefusalRemark error={keep.error} />
      {keep.isSuccess && <Remark tone="primary">Kept.</Remark>}
      <Box>
        <Button
          type="submit"
          variant="contained"
          disabled={keep.isPending || JSON.stringify(now) === JSON.stringify(rules)}
        >
          Keep the rules
        </Button>
      </Box>
    </Box>
  );
}

function Invitations() {
  const [note, setNote] = useState("");
  const invitations = useInvitations();
  const make = useChange(
    () => told(api.POST("/api/keeper/invitations", { body: { note } })),
    ["keeper", "invitations"],
  );
  const withdraw = useChange(
    (code: string) => told(api.DELETE("/api/keeper/invitations/{code}", { params: { path: { code } } })),
    ["keeper", "invitations"],
  );
  return (
    <Box sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Invitations
      </Typography>
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, mb: 1.5, maxWidth: 460 }}
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate(undefined, { onSuccess: () => setNote("") });
        }}
      >
        <TextField label="For whom" value={note} onChange={(event) => setNote(event.target.value)} />
        <Button type="submit" variant="outlined" disabled={make.isPending} sx={{ flex: "none" }}>
          Make one
        </Button>
      </Box>
      <RefusalRemark error={make.error ?? withdraw.error} />
      <Loaded query={invitations} rows={2}>
        {(rows) => (
          <Table
            label="Invitations"
            heads={["Code", "For", "Made by", "", ""]}
            rows={rows.map((one) => [
              one.code,
              [
                <span key="code" style={{ fontFamily: mono }}>
                  {one.code} {!one.used_by && <Copy text={one.code} />}
                </span>,
                one.note,
                `${one.made_by}, ${when(one.made_at)}`,
                one.used_by ? `used by ${one.used_by}` : "open",
                !one.used_by && (
                  <Button key="off" size="small" color="error" onClick={() => withdraw.mutate(one.code)}>
                    Withdraw
                  </Button>
                ),
              ],
            ])}
          />
        )}
      </Loaded>
    </Box>
  );
}
