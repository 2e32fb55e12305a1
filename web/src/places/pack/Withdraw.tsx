// Withdrawing a release: nobody is to install it any more. Asks why, as everybody will see it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";

/** `only`: no other release is open. */
export function Withdraw({ packId, number, only }: { packId: string; number: string; only: boolean }) {
  const [asked, setAsked] = useState(false);
  const [why, setWhy] = useState("");
  const withdraw = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/releases/{number}/withdrawal", {
          params: { path: { pack_id: packId, number } },
          body: { why },
        }),
      ),
    ["pack", packId],
  );
  if (!asked)
    return (
      <Button size="small" color="inherit" onClick={() => setAsked(true)} sx={{ ml: "auto", minHeight: 0, py: 0 }}>
        Withdraw<span style={{ position: "absolute", clipPath: "inset(50%)" }}> release {number}</span>
      </Button>
    );
  return (
    <Box
      component="form"
      sx={{ width: "100%", display: "flex", gap: 1, pt: 1, pb: 0.5, alignItems: "flex-start", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        withdraw.mutate(undefined);
      }}
    >
      <TextField
        label="Why, for everybody to read"
        required
        value={why}
        onChange={(event) => setWhy(event.target.value)}
        helperText={
          only && "It is the only open one. Who has it stays at it; nobody else can install the pack until the next."
        }
        sx={{ flex: "1 1 100%" }}
        slotProps={{ htmlInput: { maxLength: 300 } }}
      />
      <Button type="submit" color="error" variant="outlined" disabled={!why.trim() || withdraw.isPending}>
        Withdraw {number}
      </Button>
      <Button onClick={() => setAsked(false)}>Keep it</Button>
      <RefusalRemark error={withdraw.error} />
    </Box>
  );
}
