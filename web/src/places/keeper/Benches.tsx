// Benches elsewhere: machines of the keeper's own that try drafts and releases with the real game.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Empty, Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { day, when } from "../../parts/words";
import { useBenches } from "./queries";
import { Table } from "./Table";

export function Benches() {
  const benches = useBenches();
  const [name, setName] = useState("");
  const [token, setToken] = useState("");
  const about = ["keeper", "benches"];
  const make = useChange(() => told(api.POST("/api/keeper/benches", { body: { name } })), about);
  const drop = useChange(
    (bench_id: string) => told(api.DELETE("/api/keeper/benches/{bench_id}", { params: { path: { bench_id } } })),
    about,
  );
  const command = `CONVOY_BENCH_TOKEN=${token} convoy bench ${window.location.origin} --games bench.toml`;
  return (
    <>
      <Typography variant="body2" sx={{ color: "text.secondary", maxWidth: 720, mb: 1.5 }}>
        A machine of your own takes trials of games that this site does not start itself. Which programs it may start,
        you write into a file there; each trial runs in a sandbox, and nothing of it stays.
      </Typography>
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, mb: 1.5, alignItems: "center" }}
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate(undefined, {
            onSuccess: (made) => {
              setToken(made.token);
              setName("");
            },
          });
        }}
      >
        <TextField
          label="Name of the bench"
          required
          value={name}
          onChange={(event) => setName(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 60 } }}
          sx={{ maxWidth: 320 }}
        />
        <Button type="submit" variant="outlined" disabled={!name.trim() || make.isPending}>
          Let it in
        </Button>
      </Box>
      {token && (
        <Remark tone="primary">
          On that machine; the token is shown this once:
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", mt: 0.5 }}>
            <code style={{ overflowWrap: "anywhere" }}>{command}</code>
            <Copy text={command} />
          </Box>
        </Remark>
      )}
      <RefusalRemark error={make.error ?? drop.error} />
      <Loaded query={benches}>
        {(rows) =>
          rows.length ? (
            <Table
              label="Benches"
              heads={["Name", "Games", "Heard", "Let in", ""]}
              rows={rows.map((one) => [
                one.id,
                [
                  one.name,
                  one.games.join(", ") || "none said yet",
                  when(one.seen_at),
                  `${day(one.made_at)}, ${one.made_by}`,
                  <Button key="drop" size="small" color="error" onClick={() => drop.mutate(one.id)}>
                    Remove {one.name}
                  </Button>,
                ],
              ])}
            />
          ) : (
            <Empty title="No bench elsewhere">Games that this site starts itself stand in its own settings.</Empty>
          )
        }
      </Loaded>
    </>
  );
}
