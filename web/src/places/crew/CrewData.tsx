// A crew as a whole, for its owner: its name, its data taken along, its end.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";

export function CrewData({ crew }: { crew: Shape["CrewPage"] }) {
  const [name, setName] = useState(crew.name);
  const rename = useChange(
    () => told(api.PATCH("/api/crews/{crew_id}", { params: { path: { crew_id: crew.id } }, body: { name } })),
    ["crew", crew.id],
    ["me"],
    ["packs"],
  );
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        The crew itself
      </Typography>
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, maxWidth: 420, mb: 1.5 }}
        onSubmit={(event) => {
          event.preventDefault();
          rename.mutate(undefined);
        }}
      >
        <TextField
          label="Name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 60 } }}
        />
        <Button type="submit" variant="outlined" disabled={rename.isPending || !name.trim() || name === crew.name}>
          Rename
        </Button>
      </Box>
      <RefusalRemark error={rename.error} />
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <Button variant="outlined" href={`/api/crews/${crew.id}/taken-along`} download>
          Take its data along
        </Button>
        <End crew={crew} />
      </Box>
    </Box>
  );
}

function End({ crew }: { crew: Shape["CrewPage"] }) {
  const [asked, setAsked] = useState(false);
  const [name, setName] = useState("");
  const navigate = useNavigate();
  const end = useChange(
    () => told(api.POST("/api/crews/{crew_id}/end", { params: { path: { crew_id: crew.id } }, body: { name } })),
    ["me"],
    ["packs"],
    ["installations"],
  );
  return (
    <>
      <Button color="error" variant="outlined" onClick={() => setAsked(true)}>
        End the crew…
      </Button>
      <Dialog open={asked} onClose={() => setAsked(false)} aria-labelledby="end-crew">
        <Box
          component="form"
          onSubmit={(event) => {
            event.preventDefault();
            end.mutate(undefined, { onSuccess: () => navigate("/") });
          }}
        >
          <DialogTitle id="end-crew">End {crew.name} for good?</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 2 }}>
            <span>
              Its packs, releases, codes, own builds and files go, and cannot be brought back. Its people are told. What
              lies on their machines stays, and gets no more releases.
            </span>
            <TextField
              label={`Type ${crew.name}`}
              required
              autoFocus
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <RefusalRemark error={end.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsked(false)}>Keep it</Button>
            <Button type="submit" color="error" variant="contained" disabled={end.isPending || name !== crew.name}>
              End it
            </Button>
          </DialogActions>
        </Box>
      </Dialog>
    </>
  );
}
