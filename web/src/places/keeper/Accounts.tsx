// The site's people: found by name or address; locked, let in again, made keepers.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useMe } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { day, many, when } from "../../parts/words";
import { useAccounts } from "./queries";
import { Table } from "./Table";

export function Accounts() {
  const [text, setText] = useState("");
  const [page, setPage] = useState(1);
  const [back, setBack] = useState<{ who: string; address: string } | null>(null);
  const found = useAccounts(text, page);
  return (
    <>
      <TextField
        label="Name or address"
        value={text}
        sx={{ maxWidth: 320, mb: 1.5 }}
        onChange={(event) => {
          setText(event.target.value);
          setPage(1);
        }}
      />
      {back && (
        <Remark tone="primary">
          Give this address to {back.who}, and to nobody else. It lets them set a new password, once, within three days.
          Their second factor is off.
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 0.5 }}>
            <code style={{ overflowWrap: "anywhere" }}>{back.address}</code>
            <Copy text={back.address} />
          </Box>
        </Remark>
      )}
      <Loaded query={found}>
        {(rows) => (
          <>
            <Table
              label="Accounts"
              heads={["Who", "Address", "Crews", "Second factor", "Since", "Last here", ""]}
              rows={rows.rows.map((one) => [
                one.username,
                cells(one, (address) => setBack({ who: one.name, address })),
              ])}
            />
            <Box sx={{ display: "flex", gap: 2, alignItems: "center", mt: 1 }}>
              <Typography variant="body2">{many(rows.total, "account")}</Typography>
              {rows.pages > 1 && (
                <>
                  <Button size="small" disabled={page <= 1} onClick={() => setPage(page - 1)}>
                    Newer
                  </Button>
                  <Button size="small" disabled={page >= rows.pages} onClick={() => setPage(page + 1)}>
                    Older
                  </Button>
                </>
              )}
            </Box>
          </>
        )}
      </Loaded>
    </>
  );
}

function cells(one: Shape["AccountRow"], back: (address: string) => void) {
  return [
    <>
      <strong>{one.name}</strong> {one.name !== one.username && one.username}
      {one.keeper && " · keeper"}
      {!one.active && <span style={{ color: "var(--mui-palette-error-main)" }}> ▬ locked</span>}
    </>,
    one.email,
    one.crews,
    one.second_factor ? "yes" : "no",
    day(one.joined),
    when(one.last_login),
    <Doing key="doing" one={one} back={back} />,
  ];
}

function Doing({ one, back }: { one: Shape["AccountRow"]; back: (address: string) => void }) {
  const mine = useMe().data?.username === one.username;
  const path = { params: { path: { username: one.username } } };
  const lock = useChange(
    () => told(api.POST("/api/keeper/accounts/{username}/lock", { ...path, body: { locked: one.active } })),
    ["keeper", "accounts"],
  );
  const open = useChange(() => told(api.POST("/api/keeper/accounts/{username}/way-back", path)), ["keeper"]);
  const keeper = useChange(
    () => told(api.PUT("/api/keeper/accounts/{username}/keeper", { ...path, body: { keeper: !one.keeper } })),
    ["keeper", "accounts"],
  );
  return (
    <Box sx={{ display: "flex", justifyContent: "flex-end", whiteSpace: "nowrap" }}>
      {!mine && (
        <Button
          size="small"
          color={one.active ? "error" : "primary"}
          aria-label={`${one.active ? "Lock" : "Unlock"} ${one.username}`}
          onClick={() => lock.mutate(undefined)}
        >
          {one.active ? "Lock" : "Unlock"}
        </Button>
      )}
      <Button
        size="small"
        aria-label={`Way back for ${one.username}`}
        onClick={() => open.mutate(undefined, { onSuccess: (made) => back(made.address) })}
      >
        Way back
      </Button>
      <Button
        size="small"
        aria-label={`${one.keeper ? "No keeper" : "Make keeper"}: ${one.username}`}
        onClick={() => keeper.mutate(undefined)}
      >
        {one.keeper ? "No keeper" : "Make keeper"}
      </Button>
      <RefusalRemark error={lock.error ?? open.error ?? keeper.error} />
    </Box>
  );
}
