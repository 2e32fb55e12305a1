// What somebody new does first: join by a code, or begin with a game that is there, a game of one's own, a list, a folder
// or somebody's pack. One of them is the next step; the others stand below it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { useGames } from "../../api/queries";
import { NewCrew } from "./NewCrew";

export function FirstSteps({ me }: { me: Shape["Me"] }) {
  const games = useGames().data ?? [];
  const owned = me.crews.find((one) => one.role === "owner");
  const curated = me.crews.find((one) => one.role !== "member");
  return (
    <Box sx={{ maxWidth: 860 }}>
      <Typography variant="h1" sx={{ mb: 0.5 }}>
        {me.crews.length ? `${me.crews[0].name} has no pack yet` : "Welcome aboard"}
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 2 }}>
        Somebody gave you a code? Then that is all it takes. Otherwise begin with what you have.
      </Typography>
      <Step title="I was given a code" what="Eight letters and digits: they open a pack, and lead you to playing.">
        <Button variant={curated ? "outlined" : "contained"} size="small" component={Link} to="/join">
          Join with a code
        </Button>
      </Step>
      {games.length > 0 ? (
        <>
          <Step title="A game that is there" what={`${games.map((one) => one.name).join(", ")}.`}>
            <Button variant={curated ? "contained" : "outlined"} size="small" component={Link} to="/packs/new">
              Start a pack
            </Button>
          </Step>
          <Step title="A list, or links" what="Paste what you want to play; the base that has most of it is found.">
            <Button variant="outlined" size="small" component={Link} to="/packs/new?with=list">
              Begin with a list
            </Button>
          </Step>
          <Step title="A folder that I filled by hand" what="It is recognised file by file; nothing in it is touched.">
            <Button variant="outlined" size="small" component={Link} to="/packs/new?with=folder">
              Begin with a folder
            </Button>
          </Step>
          <Step title="Somebody's pack" what="One that a crew of yours has: its lines, settings and steps.">
            <Button variant="outlined" size="small" component={Link} to="/packs/new?with=pack">
              Begin with a pack
            </Button>
          </Step>
        </>
      ) : (
        <Typography variant="body2" sx={{ py: 1 }}>
          No game is known here yet: bring your own.
        </Typography>
      )}
      <Step
        title="A game of my own"
        what="One file says what it is: its versions, and where things go. It is tried on the spot."
      >
        {owned ? (
          <Button
            variant={games.length ? "outlined" : "contained"}
            size="small"
            component={Link}
            to={`/games/new?crew=${owned.id}`}
          >
            Bring a game
          </Button>
        ) : (
          <NewCrew first={!games.length} />
        )}
      </Step>
    </Box>
  );
}

function Step({ title, what, children }: { title: string; what: string; children: ReactNode }) {
  return (
    <Box
      sx={{
        display: "flex",
        gap: 2,
        alignItems: "center",
        borderTop: 1,
        borderColor: "divider",
        py: 1.5,
        flexWrap: "wrap",
      }}
    >
      <Box sx={{ flex: 1, minWidth: 260 }}>
        <Typography variant="h3" component="h2">
          {title}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {what}
        </Typography>
      </Box>
      <Box sx={{ width: 170, display: "flex", justifyContent: "flex-end" }}>{children}</Box>
    </Box>
  );
}
