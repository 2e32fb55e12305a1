// Bring a game: for a crew, or as the site's keeper for everybody.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange, useMe } from "../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { ProfileWork } from "./ProfileWork";
import { NEW_GAME, useProfile } from "./useProfile";

const EVERYBODY = "everybody";

export default function NewGame() {
  const me = useMe();
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 0.5 }}>
        Bring a game
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 2, maxWidth: 720 }}>
        One file says all there is to know of a game. Fill it in step by step, write it as text, or take one from a
        file; what is wrong is told as you go.
      </Typography>
      <Loaded query={me}>{(who) => <Work me={who} />}</Loaded>
    </Box>
  );
}

function Work({ me }: { me: Shape["Me"] }) {
  const [search] = useSearchParams();
  const owned = me.crews.filter((one) => one.role === "owner");
  const choices = [
    ...owned.map((one) => ({ value: one.id, name: one.name })),
    ...(me.keeper ? [{ value: EVERYBODY, name: "everybody on this site" }] : []),
  ];
  const [crew, setCrew] = useState(search.get("crew") ?? choices[0]?.value ?? "");
  const profile = useProfile(NEW_GAME);
  const navigate = useNavigate();
  const bring = useChange(
    () => told(api.POST("/api/games", { body: { text: profile.text, crew: crew === EVERYBODY ? null : crew } })),
    ["games"],
  );
  if (!choices.length)
    return <Remark tone="warning">A game is brought by a crew's owner. Start a crew of your own first.</Remark>;
  const usable = profile.isJudged && !profile.read?.faults.length;
  return (
    <ProfileWork profile={profile} isNew>
      <Box sx={{ display: "grid", gap: 1.5 }}>
        <Pick label="For" value={crew} options={choices} onChange={setCrew} />
        <RefusalRemark error={bring.error} />
        <Button
          variant="contained"
          disabled={!usable || bring.isPending}
          onClick={() => bring.mutate(undefined, { onSuccess: (game) => navigate(`/games/${game.id}`) })}
        >
          Bring the game
        </Button>
      </Box>
    </ProfileWork>
  );
}
