// My convoy: what I play, what I keep. The first page after signing in.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Shape, told } from "../api/client";
import { useChange, useInstallations, useMe, usePacks } from "../api/queries";
import { Emblem, StateMark } from "../parts/marks";
import { Empty, Loaded, RefusalRemark } from "../parts/notices";
import { many, when } from "../parts/words";
import { mono } from "../theme";

export default function Start() {
  const me = useMe();
  return (
    <Loaded query={me}>
      {(who) =>
        who.username ? (
          <SignedIn />
        ) : (
          <Box sx={{ maxWidth: 640, mx: "auto", p: 4 }}>
            <Typography variant="h1" sx={{ mb: 1 }}>
              Everyone in step
            </Typography>
            <Typography sx={{ mb: 3 }}>
              True Convoy keeps a crew's modded game the same on every machine: a curator assembles a pack, publishes it
              with fixed versions, and each member follows it with one command.
            </Typography>
            <Box sx={{ display: "flex", gap: 2 }}>
              <Button variant="contained" component={Link} to="/sign-in">
                Sign in
              </Button>
              <Button variant="outlined" component={Link} to="/join">
                Join with a code
              </Button>
            </Box>
          </Box>
        )
      }
    </Loaded>
  );
}

/** A crew by itself: its people can come aboard before there is a pack. */
function NewCrew() {
  const [asked, setAsked] = useState(false);
  const [name, setName] = useState("");
  const go = useNavigate();
  const start = useChange(() => told(api.POST("/api/crews", { body: { name } })), ["me"]);
  return (
    <>
      <Button variant="outlined" size="small" onClick={() => setAsked(true)}>
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

function SignedIn() {
  const installations = useInstallations();
  const packs = usePacks();
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Heading
        title="I play"
        level="h1"
        action={
          <Button variant="outlined" size="small" component={Link} to="/join">
            Join with a code
          </Button>
        }
      />
      <Loaded query={installations} rows={2}>
        {(rows) =>
          rows.length ? (
            <Grid>
              {rows.map((one) => (
                <InstallationCard key={one.id} one={one} />
              ))}
            </Grid>
          ) : (
            <Empty title="No installation yet">
              Somebody in your crew gives you a code of eight letters and digits. Paste it under “Join with a code”.
            </Empty>
          )
        }
      </Loaded>
      <Box sx={{ height: 24 }} />
      <Heading
        title="My crews' packs"
        level="h2"
        action={
          <Box sx={{ display: "flex", gap: 1 }}>
            <NewCrew />
            <Button variant="contained" size="small" component={Link} to="/packs/new">
              Start a pack
            </Button>
          </Box>
        }
      />
      <Loaded query={packs} rows={2}>
        {(rows) =>
          rows.length ? (
            <Grid>
              {rows.map((one) => (
                <PackCard key={one.id} one={one} />
              ))}
            </Grid>
          ) : (
            <Empty title="No pack yet">
              A pack is what you curate: a game, its version, and the mods that go with it. Start one.
            </Empty>
          )
        }
      </Loaded>
    </Box>
  );
}

function Heading({ title, level, action }: { title: string; level: "h1" | "h2"; action: ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", justifyContent: "space-between", mb: 1.5, gap: 2 }}>
      <Typography variant={level}>{title}</Typography>
      {action}
    </Box>
  );
}

function Grid({ children }: { children: ReactNode }) {
  return (
    <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(auto-fill, minmax(min(100%, 340px), 1fr))" }}>
      {children}
    </Box>
  );
}

const card = {
  display: "flex",
  gap: 1.5,
  p: 1.5,
  textAlign: "left",
  alignItems: "flex-start",
  justifyContent: "flex-start",
  border: 1,
  borderColor: "divider",
  bgcolor: "background.paper",
  borderRadius: 1,
  "&:hover": { borderColor: "primary.main" },
};

function InstallationCard({ one }: { one: Shape["InstallationRow"] }) {
  return (
    <ButtonBase component={Link} to={`/installations/${one.id}`} sx={card}>
      <Emblem name={one.emblem} size={30} />
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h3" component="p">
          {one.pack}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {one.name} · {one.crew}
        </Typography>
        <Typography variant="body2">
          <StateMark state={one.standing.state} behind={one.standing.behind} />
          {one.release && <span style={{ fontFamily: mono, fontSize: "0.8rem" }}> {one.release}</span>}
          {one.heard_at && <span> · heard {when(one.heard_at)}</span>}
        </Typography>
        {one.standing.withdrawn && <Typography variant="body2">{one.standing.withdrawn}</Typography>}
        {one.standing.to_do && <Typography variant="body2">{one.standing.to_do}</Typography>}
      </Box>
    </ButtonBase>
  );
}

function PackCard({ one }: { one: Shape["PackRow"] }) {
  const base = one.base;
  return (
    <ButtonBase component={Link} to={`/packs/${one.id}/assemble`} sx={card}>
      <Emblem name={one.emblem} size={30} />
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h3" component="p">
          {one.name}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {[one.crew, one.group].filter(Boolean).join(" · ")}
        </Typography>
        <Typography variant="body2">
          {base.game_name} {base.game_label}
          {base.loader && `, ${base.loader_name} ${base.loader_version}`}
        </Typography>
        <Typography variant="body2">
          {many(one.chosen, "chosen mod")} · {one.newest_release ? `release ${one.newest_release}` : "no open release"}{" "}
          · {many(one.installations, "installation")}
        </Typography>
      </Box>
    </ButtonBase>
  );
}
