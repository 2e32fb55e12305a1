// Sign in or sign up, the second factor where there is one. In demo mode, and only there, the demo's accounts are listed.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { passkeysWork } from "../api/account";
import type { Refused } from "../api/client";
import { useMe } from "../api/queries";
import { RefusalRemark, Remark } from "../parts/notices";
import { useSigningIn } from "./account/useSigningIn";

export default function SignIn() {
  const signing = useSigningIn();
  const me = useMe().data;
  return (
    <Box
      sx={{
        maxWidth: 860,
        mx: "auto",
        p: 3,
        display: "grid",
        gap: 4,
        gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" },
      }}
    >
      {signing.second ? <SecondStep signing={signing} /> : <FirstStep signing={signing} />}
      {!!me?.demo_accounts.length && !signing.signingUp && !signing.second && (
        <Paper variant="outlined" sx={{ p: 2, alignSelf: "start" }}>
          <Typography variant="h2" sx={{ mb: 0.5 }}>
            The demo's crew
          </Typography>
          <Typography variant="body2" sx={{ color: "text.secondary", mb: 1.5 }}>
            This is a demonstration with made-up people. Come in as one of them; their password is{" "}
            <code>{me.demo_accounts[0].password}</code>.
          </Typography>
          {me.demo_accounts.map((one) => (
            <Box key={one.username} sx={{ display: "flex", gap: 1.5, alignItems: "center", py: 0.5 }}>
              <Button
                variant="outlined"
                size="small"
                sx={{ minWidth: 96 }}
                disabled={signing.enter.isPending}
                onClick={() => signing.enter.mutate({ username: one.username, password: one.password })}
              >
                {one.username}
              </Button>
              <Typography variant="body2">{one.who}</Typography>
            </Box>
          ))}
        </Paper>
      )}
    </Box>
  );
}

type Signing = ReturnType<typeof useSigningIn>;

function FirstStep({ signing }: { signing: Signing }) {
  const { signingUp, enter, other } = signing;
  const me = useMe().data;
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [email, setEmail] = useState("");
  const [invitation, setInvitation] = useState(signing.invitation);
  const closed = signingUp && me?.registration === "closed";
  const error = (enter.error ?? signing.passkey.error) as Refused | null;
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (signingUp) enter.mutate({ username: name, password, email, invitation });
        else enter.mutate({ [name.includes("@") ? "email" : "username"]: name, password });
      }}
    >
      <Typography variant="h1" sx={{ mb: 2 }}>
        {signingUp ? "Make an account" : "Sign in"}
      </Typography>
      {closed && (
        <Remark tone="warning" live={false}>
          This site takes no new accounts. Ask whoever keeps it.
        </Remark>
      )}
      <Box sx={{ display: "grid", gap: 2, mt: closed ? 2 : 0 }}>
        <TextField
          label={signingUp ? "Name to sign in with" : "Name or e-mail address"}
          autoComplete="username"
          required
          value={name}
          error={!!error?.field("username")}
          onChange={(event) => setName(event.target.value)}
        />
        {signingUp && (
          <TextField
            label={me?.mail ? "E-mail address" : "E-mail address, if you like"}
            type="email"
            autoComplete="email"
            required={me?.mail}
            value={email}
            error={!!error?.field("email")}
            helperText={
              me?.mail
                ? "A forgotten password comes back by it. Nobody in your crews sees it."
                : "This site sends no mail; its keeper can open an account again."
            }
            onChange={(event) => setEmail(event.target.value)}
          />
        )}
        <TextField
          label="Password"
          type="password"
          autoComplete={signingUp ? "new-password" : "current-password"}
          required
          value={password}
          error={!!error?.field("password")}
          helperText={signingUp ? "At least 8 characters, not one of the common ones." : " "}
          onChange={(event) => setPassword(event.target.value)}
        />
        {signingUp && me?.registration === "invited" && (
          <TextField
            label="Invitation, or a pack's join code"
            required
            value={invitation}
            error={!!error?.field("invitation")}
            helperText="This site takes people by invitation."
            onChange={(event) => setInvitation(event.target.value)}
          />
        )}
        <RefusalRemark error={error ? Object.assign(error, { told: { ...error.told, fields: {} } }) : null} />
        <Button type="submit" variant="contained" disabled={enter.isPending || closed}>
          {signingUp ? "Make the account" : "Sign in"}
        </Button>
        {!signingUp && passkeysWork() && (
          <Button variant="outlined" disabled={signing.passkey.isPending} onClick={() => signing.passkey.mutate()}>
            Sign in with a passkey
          </Button>
        )}
        <Typography variant="body2">
          {signingUp ? "You have an account? " : "No account yet? "}
          <Link component="button" type="button" onClick={other}>
            {signingUp ? "Sign in" : "Make one"}
          </Link>
        </Typography>
        {!signingUp && (
          <Typography variant="body2">
            Forgot the password?{" "}
            <Link component={RouterLink} to="/password">
              Set a new one
            </Link>
          </Typography>
        )}
      </Box>
    </Box>
  );
}

function SecondStep({ signing }: { signing: Signing }) {
  const [code, setCode] = useState("");
  const error = signing.prove.error ?? signing.proveByKey.error;
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        signing.prove.mutate(code);
      }}
    >
      <Typography variant="h1">One more step</Typography>
      <Typography>
        Your account asks for a second factor: the six digits that your app shows, or one of your recovery codes.
      </Typography>
      <TextField
        label="Code"
        autoFocus
        required
        autoComplete="one-time-code"
        value={code}
        onChange={(event) => setCode(event.target.value)}
      />
      <RefusalRemark error={error} />
      <Button type="submit" variant="contained" disabled={signing.prove.isPending}>
        Go on
      </Button>
      {signing.second?.includes("webauthn") && passkeysWork() && (
        <Button variant="outlined" onClick={() => signing.proveByKey.mutate()}>
          Use a passkey instead
        </Button>
      )}
      <Typography variant="body2">
        Lost both? The keeper of this site can open the account again.{" "}
        <Link component="button" type="button" onClick={signing.startOver}>
          Start over
        </Link>
      </Typography>
    </Box>
  );
}
