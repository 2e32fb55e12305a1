// The start page: the evening's board for those who are aboard, the front page for those who are not.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { type ReactNode, useMemo } from "react";
import { Link } from "react-router";
import type { Shape } from "../api/client";
import { useInstallations, useMe, usePacks } from "../api/queries";
import { Loaded } from "../parts/notices";
import { many } from "../parts/words";
import { Front } from "./front/Front";
import { Mine, PackOnBoard } from "./start/Board";
import { FirstSteps } from "./start/FirstSteps";
import { NewCrew } from "./start/NewCrew";

export default function Start() {
  const me = useMe();
  return <Loaded query={me}>{(who) => (who.username ? <SignedIn me={who} /> : <Front me={who} />)}</Loaded>;
}

function SignedIn({ me }: { me: Shape["Me"] }) {
  const installations = useInstallations();
  const packs = usePacks();
  const sorted = useMemo(() => {
    const rows = installations.data ?? [];
    return [...rows].sort((one, other) => Number(other.standing.to_do !== "") - Number(one.standing.to_do !== ""));
  }, [installations.data]);
  const waiting = sorted.filter((one) => one.standing.to_do !== "").length;
  const empty = installations.data?.length === 0 && packs.data?.length === 0;
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      {empty ? (
        <FirstSteps me={me} />
      ) : (
        <>
          <Heading
            title={waiting ? `${many(waiting, "installation needs", "installations need")} you` : "I play"}
            level="h1"
            action={
              <Button variant="outlined" size="small" component={Link} to="/join">
                Join with a code
              </Button>
            }
          />
          <Loaded query={installations} rows={2}>
            {() =>
              sorted.length ? (
                <List>
                  {sorted.map((one) => (
                    <Mine key={one.id} one={one} />
                  ))}
                </List>
              ) : (
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  You follow no pack yourself yet. Open one of the packs below, and install it from its crew's place, or
                  join with a code.
                </Typography>
              )
            }
          </Loaded>
          <Box sx={{ height: 28 }} />
          <Heading
            title="My crews' packs"
            level="h2"
            action={
              <Box sx={{ display: "flex", gap: 1 }}>
                <NewCrew />
                <Button variant="outlined" size="small" component={Link} to="/packs/open">
                  Open a file
                </Button>
                <Button variant="contained" size="small" component={Link} to="/packs/new">
                  Start a pack
                </Button>
              </Box>
            }
          />
          <Loaded query={packs} rows={3}>
            {(rows) =>
              rows.length ? (
                <List>
                  {rows.map((one) => (
                    <PackOnBoard key={one.id} one={one} />
                  ))}
                </List>
              ) : (
                <FirstSteps me={me} />
              )
            }
          </Loaded>
        </>
      )}
    </Box>
  );
}

function Heading({ title, level, action }: { title: string; level: "h1" | "h2"; action: ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", justifyContent: "space-between", mb: 1, gap: 2 }}>
      <Typography variant={level}>{title}</Typography>
      {action}
    </Box>
  );
}

function List({ children }: { children: ReactNode }) {
  return (
    <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, borderBottom: 1, borderColor: "divider" }}>
      {children}
    </Box>
  );
}
