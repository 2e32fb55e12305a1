// E-mail addresses: which, confirmed or not, the main one.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { mine } from "../../api/account";
import { Loaded, Remark } from "../../parts/notices";
import { Asked } from "./Asked";
import { useAsking, useMine } from "./useAsking";

interface Address {
  email: string;
  verified: boolean;
  primary: boolean;
}

export function Addresses({ mail }: { mail: boolean }) {
  const asking = useAsking();
  const addresses = useMine<Address[]>("account/email");
  const [email, setEmail] = useState("");
  const [sentTo, setSentTo] = useState("");
  return (
    <>
      <Loaded query={addresses} rows={1}>
        {(rows) => (
          <>
            {!rows.length && (
              <Typography variant="body2" sx={{ mb: 1 }}>
                None. {mail ? "With one, a forgotten password has a way back." : "This site sends no mail anyway."}
              </Typography>
            )}
            {rows.map((one) => (
              <Box key={one.email} sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", py: 0.5 }}>
                <strong>{one.email}</strong>
                <Typography variant="body2" sx={{ color: "text.secondary", flex: 1 }}>
                  {[one.primary && "main", one.verified ? "confirmed" : "not confirmed yet"].filter(Boolean).join(", ")}
                </Typography>
                {!one.verified && mail && (
                  <Button
                    size="small"
                    onClick={() =>
                      asking.run(
                        () => mine("PUT", "account/email", { email: one.email }),
                        () => setSentTo(one.email),
                      )
                    }
                  >
                    Send the mail again
                  </Button>
                )}
                {!one.primary && (
                  <Button
                    size="small"
                    onClick={() =>
                      asking.run(() => mine("PATCH", "account/email", { email: one.email, primary: true }))
                    }
                  >
                    Make it the main one
                  </Button>
                )}
                {(!one.primary || rows.length === 1) && (
                  <Button
                    size="small"
                    color="error"
                    onClick={() => asking.run(() => mine("DELETE", "account/email", { email: one.email }))}
                  >
                    Remove
                  </Button>
                )}
              </Box>
            ))}
          </>
        )}
      </Loaded>
      {sentTo && <Remark tone="primary">A mail went to {sentTo}. Open the address in it.</Remark>}
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap", alignItems: "start" }}
        onSubmit={(event) => {
          event.preventDefault();
          asking.run(
            () => mine("POST", "account/email", { email }),
            () => {
              setSentTo(mail ? email : "");
              setEmail("");
            },
          );
        }}
      >
        <TextField
          label="Another address"
          type="email"
          required
          value={email}
          sx={{ maxWidth: 320 }}
          onChange={(event) => setEmail(event.target.value)}
        />
        <Button type="submit" variant="outlined" disabled={asking.isPending}>
          Add it
        </Button>
      </Box>
      <Asked asking={asking} />
    </>
  );
}
