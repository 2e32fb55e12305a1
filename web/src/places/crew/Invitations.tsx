// Invitations to a crew: made with a role, told as a code and an address, withdrawn.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useCrewInvitations } from "../../api/outside";
import { useChange, useMe } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { day, many } from "../../parts/words";
import { mono } from "../../theme";

export function Invitations({ crew }: { crew: Shape["CrewPage"] }) {
  const open = useCrewInvitations(crew.id, true);
  const about = ["crew", crew.id, "invitations"];
  const withdraw = useChange(
    (code: string) =>
      told(api.DELETE("/api/crews/{crew_id}/invitations/{code}", { params: { path: { crew_id: crew.id, code } } })),
    about,
  );
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Invitations
      </Typography>
      <Loaded query={open} rows={1}>
        {(list) => (
          <>
            {list.map((one) => (
              <Box key={one.code} sx={{ borderTop: 1, borderColor: "divider", py: 1 }}>
                <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
                  <Box component="code" sx={{ fontSize: "1.05rem" }}>
                    {one.code}
                  </Box>
                  <Box sx={{ flex: 1, minWidth: 150, fontSize: "0.88rem", color: "text.secondary" }}>
                    as {one.role},{" "}
                    {one.uses_left === null ? "any number of people" : many(one.uses_left, "person", "people")}, until{" "}
                    {day(one.until)}
                    {one.note && ` · ${one.note}`}
                  </Box>
                  <Copy text={one.address} name="Copy address" />
                  <Button size="small" color="error" onClick={() => withdraw.mutate(one.code)}>
                    Withdraw
                  </Button>
                </Box>
                <Box sx={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>{one.address}</Box>
              </Box>
            ))}
            <RefusalRemark error={withdraw.error} />
            <Invite crew={crew} />
          </>
        )}
      </Loaded>
    </Box>
  );
}

function Invite({ crew }: { crew: Shape["CrewPage"] }) {
  const mails = useMe().data?.mail ?? false;
  const [asked, setAsked] = useState({ role: "member" as Shape["Role"], note: "", mail: "" });
  const [uses, setUses] = useState("1");
  const invite = useChange(
    () =>
      told(
        api.POST("/api/crews/{crew_id}/invitations", {
          params: { path: { crew_id: crew.id } },
          body: { ...asked, uses: uses ? Number(uses) : null, days: 14 },
        }),
      ),
    ["crew", crew.id, "invitations"],
  );
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap", alignItems: "center" }}
      onSubmit={(event) => {
        event.preventDefault();
        invite.mutate(undefined, { onSuccess: () => setAsked({ ...asked, note: "", mail: "" }) });
      }}
    >
      <Box sx={{ width: 130 }}>
        <Pick
          label="Invite as"
          value={asked.role}
          options={[
            { value: "member", name: "member" },
            ...(crew.role === "owner" ? [{ value: "curator", name: "curator" }] : []),
          ]}
          onChange={(role) => setAsked({ ...asked, role: role as Shape["Role"] })}
        />
      </Box>
      <TextField
        label="People"
        placeholder="any"
        value={uses}
        sx={{ width: 90 }}
        onChange={(event) => setUses(event.target.value.replace(/\D/g, "").slice(0, 3))}
      />
      <TextField
        label="For whom"
        value={asked.note}
        sx={{ flex: 1, minWidth: 140 }}
        onChange={(event) => setAsked({ ...asked, note: event.target.value.slice(0, 200) })}
      />
      {mails && (
        <TextField
          label="Mail it to"
          type="email"
          value={asked.mail}
          sx={{ flex: 1, minWidth: 180 }}
          onChange={(event) => setAsked({ ...asked, mail: event.target.value })}
        />
      )}
      <Button type="submit" variant="outlined" disabled={invite.isPending}>
        Invite
      </Button>
      <RefusalRemark error={invite.error} />
    </Box>
  );
}
