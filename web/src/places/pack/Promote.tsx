// Makes a trial release stable: what was tried, unchanged, under a number of its own.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useChange, usePending } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { mono } from "../../theme";

export function Promote({ packId, trial }: { packId: string; trial: string }) {
  const suggested = usePending(packId, "stable").data?.suggested ?? "";
  const [asked, setAsked] = useState(false);
  const [despite, setDespite] = useState("");
  const [typed, setTyped] = useState<string | null>(null);
  const number = typed ?? suggested;
  const promote = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/releases/{number}/promotion", {
          params: { path: { pack_id: packId, number: trial } },
          body: { number, notes: "", despite },
        }),
      ),
    ["pack", packId],
    ["packs"],
  );
  if (!asked) {
    return (
      <Button size="small" sx={{ py: 0 }} onClick={() => setAsked(true)} aria-label={`Promote ${trial} to stable`}>
        Promote
      </Button>
    );
  }
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, alignItems: "center", flexBasis: "100%", flexWrap: "wrap", py: 0.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        promote.mutate(undefined, { onSuccess: () => setAsked(false) });
      }}
    >
      <TextField
        autoFocus
        label="Stable as"
        required
        value={number}
        onChange={(event) => setTyped(event.target.value)}
        sx={{ width: 120 }}
        slotProps={{ htmlInput: { style: { fontFamily: mono } } }}
      />
      <Button type="submit" size="small" variant="contained" disabled={promote.isPending || !number}>
        Promote {trial}
      </Button>
      <Button size="small" onClick={() => setAsked(false)}>
        Not now
      </Button>
      {promote.error?.told.code === "blocked" && (
        <TextField
          label="Why all the same"
          value={despite}
          onChange={(event) => setDespite(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 300 } }}
          sx={{ minWidth: 220 }}
        />
      )}
      <RefusalRemark error={promote.error} />
    </Box>
  );
}
