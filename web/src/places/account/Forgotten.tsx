// A forgotten password: ask for the mail, and set a new one from the address in it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { ask } from "../../api/account";
import { queryClient, useChange, useMe } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";

export default function Forgotten() {
  const { key } = useParams();
  return (
    <Box sx={{ maxWidth: 460, mx: "auto", p: 3 }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        {key ? "Set a new password" : "A forgotten password"}
      </Typography>
      {key ? <NewPassword passwordKey={key} /> : <SendMail />}
    </Box>
  );
}

function SendMail() {
  const me = useMe().data;
  const [email, setEmail] = useState("");
  const [sent, setSent] = useState(false);
  const send = useChange(() => ask("POST", "auth/password/request", { email }));
  if (me && !me.mail) {
    return (
      <Remark tone="info" live={false}>
        This site sends no mail. Whoever keeps it can open your account again: they give you an address, and there you
        set a new password.
      </Remark>
    );
  }
  if (sent) return <Remark tone="primary">A mail went to {email}. Open the address in it within three days.</Remark>;
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        send.mutate(undefined, { onSuccess: () => setSent(true) });
      }}
    >
      <TextField
        label="Your e-mail address"
        type="email"
        autoComplete="email"
        required
        autoFocus
        value={email}
        helperText="No address at your account? Its keeper can open it again."
        onChange={(event) => setEmail(event.target.value)}
      />
      <RefusalRemark error={send.error} />
      <Button type="submit" variant="contained" disabled={send.isPending}>
        Send me the way back
      </Button>
    </Box>
  );
}

function NewPassword({ passwordKey }: { passwordKey: string }) {
  const [password, setPassword] = useState("");
  const navigate = useNavigate();
  const set = useChange(async () => {
    const reply = await ask("POST", "auth/password/reset", { key: passwordKey, password });
    await queryClient.resetQueries();
    navigate(reply.status === 200 ? "/" : "/sign-in");
  });
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate(undefined);
      }}
    >
      <TextField
        label="New password"
        type="password"
        autoComplete="new-password"
        required
        autoFocus
        value={password}
        helperText="At least 8 characters, not one of the common ones."
        onChange={(event) => setPassword(event.target.value)}
      />
      <RefusalRemark error={set.error} />
      {set.error?.field("key") && (
        <Typography variant="body2">
          The address was used already, or is too old. <Link to="/password">Ask for a new one</Link>.
        </Typography>
      )}
      <Button type="submit" variant="contained" disabled={set.isPending}>
        Set it
      </Button>
    </Box>
  );
}
