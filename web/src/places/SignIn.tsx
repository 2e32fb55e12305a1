// Sign in or sign up. In demo mode, and only there, the demo's accounts are listed.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { account, type Refused } from "../api/client";
import { useMe } from "../api/queries";
import { RefusalRemark } from "../parts/notices";

interface Given {
  username: string;
  password: string;
}

export default function SignIn() {
  const [search, setSearch] = useSearchParams();
  const signingUp = search.has("new");
  const [given, setGiven] = useState<Given>({ username: "", password: "" });
  const navigate = useNavigate();
  const client = useQueryClient();
  const me = useMe().data;
  const enter = useMutation<void, Refused, Given>({
    mutationFn: (sent) => account(signingUp ? "auth/signup" : "auth/login", sent),
    onSuccess: async () => {
      await client.resetQueries();
      const next = search.get("next") ?? "/";
      navigate(next.startsWith("/") && !next.startsWith("//") ? next : "/");
    },
  });
  const other = () => {
    const kept = new URLSearchParams(search);
    signingUp ? kept.delete("new") : kept.set("new", "1");
    enter.reset();
    setSearch(kept);
  };
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
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          enter.mutate(given);
        }}
      >
        <Typography variant="h1" sx={{ mb: 2 }}>
          {signingUp ? "Make an account" : "Sign in"}
        </Typography>
        <Box sx={{ display: "grid", gap: 2 }}>
          <TextField
            label="Name to sign in with"
            autoComplete="username"
            required
            value={given.username}
            onChange={(event) => setGiven({ ...given, username: event.target.value })}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete={signingUp ? "new-password" : "current-password"}
            required
            value={given.password}
            helperText={signingUp ? "At least 8 characters, not one of the common ones." : " "}
            onChange={(event) => setGiven({ ...given, password: event.target.value })}
          />
          <RefusalRemark
            error={enter.error ? Object.assign(enter.error, { told: { ...enter.error.told, fields: {} } }) : null}
          />
          <Button type="submit" variant="contained" disabled={enter.isPending}>
            {signingUp ? "Make the account" : "Sign in"}
          </Button>
          <Typography variant="body2">
            {signingUp ? "You have an account? " : "No account yet? "}
            <Link component="button" type="button" onClick={other}>
              {signingUp ? "Sign in" : "Make one"}
            </Link>
          </Typography>
        </Box>
      </Box>
      {!!me?.demo_accounts.length && !signingUp && (
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
                disabled={enter.isPending}
                onClick={() => enter.mutate({ username: one.username, password: one.password })}
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
