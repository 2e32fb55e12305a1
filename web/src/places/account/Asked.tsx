// What came of asking: a refusal beside what was asked, or the password that is wanted first.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { RefusalRemark } from "../../parts/notices";
import type { Asking } from "./useAsking";

export function Asked({ asking }: { asking: Asking }) {
  return asking.wanted ? <PasswordOnceMore asking={asking} /> : <RefusalRemark error={asking.error} />;
}

function PasswordOnceMore({ asking }: { asking: Asking }) {
  const [password, setPassword] = useState("");
  return (
    <Dialog open onClose={asking.giveUp} aria-labelledby="once-more-title">
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          asking.confirm(password);
        }}
      >
        <DialogTitle id="once-more-title">Your password, once more</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 2 }}>
          <span>So that nobody else at your machine changes this.</span>
          <TextField
            label="Your password"
            type="password"
            autoComplete="current-password"
            required
            autoFocus
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          <RefusalRemark error={asking.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={asking.giveUp}>Not now</Button>
          <Button type="submit" variant="contained" disabled={asking.isPending}>
            Go on
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}
