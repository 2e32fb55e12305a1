// One's own account: name, addresses, password, second factor, where one is signed in, taking everything along, the end.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import { useNavigate } from "react-router";
import { mine } from "../../api/account";
import { api, type Shape, told } from "../../api/client";
import { queryClient, useChange, useMe } from "../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { OwnDefaults } from "../crew/DefaultsForm";
import { Addresses } from "./Addresses";
import { SecondFactor } from "./SecondFactor";
import { Sessions } from "./Sessions";

export default function Account() {
  const me = useMe();
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={me}>
        {(who) =>
          who.username ? <Mine me={who} /> : <Remark tone="warning">You are not signed in. Sign in first.</Remark>
        }
      </Loaded>
    </Box>
  );
}

function Mine({ me }: { me: Shape["Me"] }) {
  return (
    <>
      <Typography variant="h1">Your account</Typography>
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        You sign in as <code>{me.username}</code>.
      </Typography>
      <Part title="How others see you">
        <ShownAs name={me.name} />
      </Part>
      <Part title="E-mail addresses">
        <Addresses mail={me.mail} />
      </Part>
      <Part title="Password">
        <Password />
      </Part>
      <Part title="Second factor">
        <SecondFactor />
      </Part>
      <Part title="What holds for all your installations">
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          Where an installation does not say otherwise. Empty: as its crew has it, or the product.
        </Typography>
        <OwnDefaults />
      </Part>
      <Part title="Where you are signed in">
        <Sessions />
      </Part>
      <Part title="Take everything along">
        <Typography variant="body2" sx={{ mb: 1 }}>
          All that is kept about you here, as one JSON file.
        </Typography>
        <Button variant="outlined" href="/api/account/taken-along" download>
          Get the file
        </Button>
      </Part>
      <Part title="End the account">
        <End />
      </Part>
    </>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" sx={{ py: 2, borderTop: 1, borderColor: "divider" }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

function ShownAs({ name }: { name: string }) {
  const [text, setText] = useState(name);
  const change = useChange(() => told(api.PATCH("/api/account", { body: { name: text } })), ["me"], ["crew"], ["pack"]);
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, alignItems: "start", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(undefined);
      }}
    >
      <TextField
        label="Name"
        required
        value={text}
        sx={{ maxWidth: 320 }}
        slotProps={{ htmlInput: { maxLength: 60 } }}
        onChange={(event) => setText(event.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={change.isPending || text === name}>
        Keep
      </Button>
      <RefusalRemark error={change.error} />
    </Box>
  );
}

function Password() {
  const [now, setNow] = useState("");
  const [next, setNext] = useState("");
  const [done, setDone] = useState(false);
  const change = useChange(() =>
    mine("POST", "account/password/change", { current_password: now, new_password: next }),
  );
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 1.5, maxWidth: 320 }}
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(undefined, {
          onSuccess: () => {
            setDone(true);
            setNow("");
            setNext("");
          },
        });
      }}
    >
      <TextField
        label="Password as it is"
        type="password"
        autoComplete="current-password"
        required
        value={now}
        onChange={(event) => setNow(event.target.value)}
      />
      <TextField
        label="New password"
        type="password"
        autoComplete="new-password"
        required
        value={next}
        helperText="At least 8 characters, not one of the common ones."
        onChange={(event) => setNext(event.target.value)}
      />
      <RefusalRemark error={change.error} />
      {done && <Remark tone="primary">The password is changed.</Remark>}
      <Box>
        <Button type="submit" variant="outlined" disabled={change.isPending}>
          Change it
        </Button>
      </Box>
    </Box>
  );
}

function End() {
  const [asked, setAsked] = useState(false);
  const [password, setPassword] = useState("");
  const navigate = useNavigate();
  const end = useChange(() => told(api.POST("/api/account/end", { body: { password } })));
  return (
    <>
      <Typography variant="body2" sx={{ mb: 1 }}>
        Who you are is forgotten; your installations leave the roll calls, and their agents are served no longer. What
        you made in crews stays there, without your name. Files on your machines stay.
      </Typography>
      <Button color="error" variant="outlined" onClick={() => setAsked(true)}>
        End the account…
      </Button>
      <Dialog open={asked} onClose={() => setAsked(false)} aria-labelledby="end-title">
        <Box
          component="form"
          onSubmit={(event) => {
            event.preventDefault();
            end.mutate(undefined, {
              onSuccess: () => {
                queryClient.clear();
                navigate("/");
              },
            });
          }}
        >
          <DialogTitle id="end-title">End your account for good?</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 2 }}>
            <span>It cannot be brought back.</span>
            <TextField
              label="Your password"
              type="password"
              autoComplete="current-password"
              required
              autoFocus
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
            <RefusalRemark error={end.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsked(false)}>Keep it</Button>
            <Button type="submit" color="error" variant="contained" disabled={end.isPending}>
              End it
            </Button>
          </DialogActions>
        </Box>
      </Dialog>
    </>
  );
}
