// A crew by itself: its people can come aboard before there is a pack.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";

export function NewCrew({ first = false }: { first?: boolean }) {
  const [asked, setAsked] = useState(false);
  const [name, setName] = useState("");
  const go = useNavigate();
  const start = useChange(() => told(api.POST("/api/crews", { body: { name } })), ["me"]);
  return (
    <>
      <Button variant={first ? "contained" : "outlined"} size="small" onClick={() => setAsked(true)}>
        Start a crew
      </Button>
      <Dialog open={asked} onClose={() => setAsked(false)} aria-labelledby="crew-title">
        <Box
          component="form"
          onSubmit={(event) => {
            event.preventDefault();
            start.mutate(undefined, { onSuccess: (crew) => go(`/crews/${crew.id}`) });
          }}
        >
          <DialogTitle id="crew-title">Start a crew</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 2, pt: 1 }}>
            <span>Those who play together. You own it, and may give others a part in curating.</span>
            <TextField
              autoFocus
              required
              label="Name of the crew"
              value={name}
              onChange={(event) => setName(event.target.value.slice(0, 60))}
            />
            <RefusalRemark error={start.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsked(false)}>Not now</Button>
            <Button type="submit" variant="contained" disabled={start.isPending || !name.trim()}>
              Start it
            </Button>
          </DialogActions>
        </Box>
      </Dialog>
    </>
  );
}
