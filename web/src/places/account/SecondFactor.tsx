// The second factor: an app that shows six digits, passkeys, and recovery codes for the day when neither is at hand.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { renderSVG } from "uqr";
import { ask, makePasskey, mine, newSecret, passkeysWork } from "../../api/account";
import { Copy } from "../../parts/Copy";
import { Loaded, Remark } from "../../parts/notices";
import { day } from "../../parts/words";
import { mono } from "../../theme";
import { Asked } from "./Asked";
import { type Asking, useAsking, useMine } from "./useAsking";

interface Factor {
  type: "totp" | "webauthn" | "recovery_codes";
  id?: number;
  name?: string;
  created_at: number;
  unused_code_count?: number;
}

interface Secret {
  secret: string;
  totp_url: string;
}

export function SecondFactor() {
  const asking = useAsking();
  const factors = useMine<Factor[]>("account/authenticators");
  const [secret, setSecret] = useState<Secret | null>(null);
  const [codes, setCodes] = useState<string[]>([]);
  const begin = () => asking.run(async () => setSecret(await newSecret()));
  const showCodes = () =>
    asking.run(async () => {
      setCodes((await mine<{ unused_codes: string[] }>("GET", "account/authenticators/recovery-codes")).unused_codes);
    });
  return (
    <Loaded query={factors} rows={2}>
      {(rows) => {
        const app = rows.find((one) => one.type === "totp");
        const keys = rows.filter((one) => one.type === "webauthn");
        const left = rows.find((one) => one.type === "recovery_codes");
        return (
          <Box sx={{ display: "grid", gap: 1.5 }}>
            <Typography variant="body2">
              {app || keys.length
                ? "Signing in asks for it after the password."
                : "Without one, whoever has your password has your account."}
            </Typography>
            {app ? (
              <Row what={`An app that shows six digits, since ${since(app)}`}>
                <Button
                  size="small"
                  color="error"
                  onClick={() => asking.run(() => mine("DELETE", "account/authenticators/totp"))}
                >
                  Take it off
                </Button>
              </Row>
            ) : (
              !secret && (
                <Box>
                  <Button variant="outlined" onClick={begin}>
                    Use an app with six digits
                  </Button>
                </Box>
              )
            )}
            {secret && !app && (
              <NewApp secret={secret} asking={asking} done={() => setSecret(null)} showCodes={showCodes} />
            )}
            {keys.map((one) => (
              <Row key={one.id} what={`Passkey “${one.name}”, since ${since(one)}`}>
                <Button
                  size="small"
                  color="error"
                  onClick={() =>
                    asking.run(() => mine("DELETE", "account/authenticators/webauthn", { authenticators: [one.id] }))
                  }
                >
                  Take it off
                </Button>
              </Row>
            ))}
            {passkeysWork() ? (
              <NewPasskey asking={asking} number={keys.length + 1} />
            ) : (
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                Passkeys need a site that is reached by its name, and a browser that knows them.
              </Typography>
            )}
            {left && (
              <Row what={`${left.unused_code_count} recovery codes left, each for one time`}>
                <Button size="small" onClick={showCodes}>
                  Show them
                </Button>
                <Button
                  size="small"
                  onClick={() =>
                    asking.run(
                      () => mine("POST", "account/authenticators/recovery-codes", {}),
                      () => setCodes([]),
                    )
                  }
                >
                  Make new ones
                </Button>
              </Row>
            )}
            <Asked asking={asking} />
            {codes.length > 0 && <Codes codes={codes} />}
          </Box>
        );
      }}
    </Loaded>
  );
}

const since = (one: Factor) => day(new Date(one.created_at * 1000).toISOString());

function Row({ what, children }: { what: string; children: React.ReactNode }) {
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
      <Box sx={{ flex: 1, minWidth: 220 }}>{what}</Box>
      {children}
    </Box>
  );
}

function NewApp(props: { secret: Secret; asking: Asking; done: () => void; showCodes: () => void }) {
  const [code, setCode] = useState("");
  const drawn = `data:image/svg+xml,${encodeURIComponent(renderSVG(props.secret.totp_url, { border: 2 }))}`;
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 2, flexWrap: "wrap", border: 1, borderColor: "divider", p: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        props.asking.run(
          () => mine("POST", "account/authenticators/totp", { code: code.replaceAll(" ", "") }),
          () => {
            props.done();
            props.showCodes();
          },
        );
      }}
    >
      <img src={drawn} width={168} height={168} alt="A code for your app to read; the text beside it says the same" />
      <Box sx={{ display: "grid", gap: 1.5, flex: 1, minWidth: 240, alignContent: "start" }}>
        <Typography variant="body2">
          Let your app read this, or type it in there:{" "}
          <code style={{ overflowWrap: "anywhere" }}>{props.secret.secret}</code> <Copy text={props.secret.secret} />
        </Typography>
        <TextField
          label="The six digits that it shows"
          required
          autoComplete="one-time-code"
          value={code}
          onChange={(event) => setCode(event.target.value)}
        />
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button type="submit" variant="contained" disabled={props.asking.isPending}>
            Use it from now on
          </Button>
          <Button onClick={props.done}>Not now</Button>
        </Box>
      </Box>
    </Box>
  );
}

function NewPasskey({ asking, number }: { asking: Asking; number: number }) {
  return (
    <Box>
      <Button
        variant="outlined"
        onClick={() =>
          asking.run(async () => {
            const asked = await mine<{ creation_options: unknown }>(
              "GET",
              "account/authenticators/webauthn?passwordless",
            );
            const credential = await makePasskey(asked.creation_options);
            await ask("POST", "account/authenticators/webauthn", { name: `Passkey ${number}`, credential });
          })
        }
      >
        Add a passkey
      </Button>
    </Box>
  );
}

function Codes({ codes }: { codes: string[] }) {
  return (
    <Remark tone="primary">
      Keep these where you find them without your machine. Each works once.
      <Box component="ul" sx={{ fontFamily: mono, columns: 2, m: 0, my: 1, pl: 2.5 }}>
        {codes.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </Box>
      <Copy text={codes.join("\n")} />
    </Remark>
  );
}
