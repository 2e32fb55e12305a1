// One game: its versions, its profile to work on, the source whose version lists it follows, what was changed and by whom.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { many, when } from "../../parts/words";
import { Changes } from "./Judged";
import { ProfileWork } from "./ProfileWork";
import { useProfile } from "./useProfile";

type Page = Shape["GamePage"];

export default function GamePlace() {
  const { gameId = "" } = useParams();
  const game = useQuery({
    queryKey: ["games", gameId],
    queryFn: () => told(api.GET("/api/games/{game_id}", { params: { path: { game_id: gameId } } })),
  });
  return (
    <Box sx={{ maxWidth: 1180, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={game}>{(page) => <Shown key={page.revision} page={page} />}</Loaded>
    </Box>
  );
}

const of = (page: Page) => ({ params: { path: { game_id: page.id } } });

function Shown({ page }: { page: Page }) {
  return (
    <>
      <Typography variant="h1">{page.name}</Typography>
      <Typography sx={{ color: "text.secondary", mb: 1 }}>
        {page.summary} {page.crew_name ? `Brought by ${page.crew_name}.` : "Everybody's."}
      </Typography>
      <Typography sx={{ mb: 2 }}>
        {many(page.versions.length, "version")}:{" "}
        {page.versions
          .slice(0, 6)
          .map((one) => one.label)
          .join(", ")}
        {page.versions.length > 6 && " and older"}
        {page.listed > 0 && ` (${page.listed} from the source it follows)`}.{" "}
        {page.packs.length > 0 && `Packs: ${page.packs.join(", ")}.`}
      </Typography>
      {page.may_change && (
        <>
          <NewVersion page={page} />
          <Follows page={page} />
          <Work page={page} />
          <History page={page} />
        </>
      )}
    </>
  );
}

/** A new version of the game is one field. */
function NewVersion({ page }: { page: Page }) {
  const [version, setVersion] = useState("");
  const add = useChange(
    () =>
      told(
        api.POST("/api/games/{game_id}/versions", {
          ...of(page),
          body: { version, label: "", channel: "stable", runtime: "", revision: page.revision },
        }),
      ),
    ["games"],
  );
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, alignItems: "start", mb: 1.5, flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(undefined);
      }}
    >
      <TextField
        label="A new version is out"
        placeholder="2.3"
        required
        value={version}
        sx={{ maxWidth: 220 }}
        onChange={(event) => setVersion(event.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={add.isPending} sx={{ height: 40 }}>
        Add it
      </Button>
      <RefusalRemark error={add.error} />
    </Box>
  );
}

function Follows({ page }: { page: Page }) {
  const follow = useChange(
    (source: string | null) => told(api.PUT("/api/games/{game_id}/follows", { ...of(page), body: { source } })),
    ["games"],
  );
  if (!page.sources.length) return null;
  return (
    <Box sx={{ maxWidth: 420, mb: 2.5 }}>
      <Pick
        label="Versions come by themselves from"
        value={page.follows}
        options={[
          { value: "", name: "nowhere: they are typed in" },
          ...page.sources.map((one) => ({ value: one.id, name: one.name })),
        ]}
        onChange={(source) => follow.mutate(source || null)}
      />
      <RefusalRemark error={follow.error} />
    </Box>
  );
}

function Work({ page }: { page: Page }) {
  const profile = useProfile(page.text, page.id);
  const [why, setWhy] = useState("");
  const navigate = useNavigate();
  const keep = useChange(
    () =>
      told(
        api.PUT("/api/games/{game_id}", { ...of(page), body: { text: profile.text, revision: page.revision, why } }),
      ),
    ["games"],
    ["pack"],
  );
  const remove = useChange(() => told(api.DELETE("/api/games/{game_id}", of(page))), ["games"]);
  const read = profile.read;
  const usable = profile.isJudged && !read?.faults.length && !read?.stops.length && !!read?.changes.length;
  return (
    <ProfileWork profile={profile} isNew={false}>
      <Box sx={{ display: "grid", gap: 1.5 }}>
        <TextField label="Why, for the others" value={why} onChange={(event) => setWhy(event.target.value)} />
        <RefusalRemark error={keep.error ?? remove.error} />
        <Box sx={{ display: "flex", gap: 1, justifyContent: "space-between" }}>
          <Button variant="contained" disabled={!usable || keep.isPending} onClick={() => keep.mutate(undefined)}>
            Keep the changes
          </Button>
          {!page.packs.length && (
            <Button
              color="error"
              disabled={remove.isPending}
              onClick={() => remove.mutate(undefined, { onSuccess: () => navigate("/games") })}
            >
              Remove the game
            </Button>
          )}
        </Box>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          Releases carry what they need of it: nothing that is published changes. Drafts are held against it anew.
        </Typography>
      </Box>
    </ProfileWork>
  );
}

function History({ page }: { page: Page }) {
  const back = useChange(
    (number: number) => told(api.POST("/api/games/{game_id}/taking-back", { ...of(page), body: { number } })),
    ["games"],
  );
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        What was changed
      </Typography>
      <RefusalRemark error={back.error} />
      {page.history.map((one) => (
        <Box
          key={one.number}
          sx={{ borderTop: 1, borderColor: "divider", py: 1, display: "flex", gap: 2, flexWrap: "wrap" }}
        >
          <Box sx={{ width: 200 }}>
            <strong>{one.why || "changed"}</strong>
            <Typography variant="body2" sx={{ color: "text.secondary" }}>
              {one.by || "its source"}, {when(one.at)}
            </Typography>
          </Box>
          <Box sx={{ flex: 1, minWidth: 260 }}>
            <Changes changes={one.changes} />
          </Box>
          {one.number !== page.revision && one.by && (
            <Button size="small" disabled={back.isPending} onClick={() => back.mutate(one.number)}>
              Back to this
            </Button>
          )}
        </Box>
      ))}
      <Typography variant="body2" sx={{ mt: 2 }}>
        <Link to="/games">All games</Link>
      </Typography>
    </Box>
  );
}
