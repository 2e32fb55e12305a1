// The people of a crew and their roles. The owner gives roles; everybody sees them.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../api/client";
import { useChange, useCrew, useMe } from "../api/queries";
import { Loaded, RefusalRemark, Remark } from "../parts/notices";
import { Pick } from "../parts/Pick";
import { day, many } from "../parts/words";
import { CrewData } from "./crew/CrewData";
import { CrewDefaults } from "./crew/DefaultsForm";
import { Invitations } from "./crew/Invitations";
import { CrewKeys } from "./keys/CrewKeys";
import { SourceList } from "./sources/SourceList";

const ROLES = {
  owner: "may do everything, and gives roles",
  curator: "changes drafts, publishes, hands out codes",
  member: "plays, and sees everything",
};

export default function CrewPeople() {
  const { crewId = "" } = useParams();
  const crew = useCrew(crewId);
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={crew}>{(one) => <Shown crew={one} />}</Loaded>
    </Box>
  );
}

/** The owner takes anybody out of the crew, everybody themselves; nobody the owner. */
function GoAshore({ crew, person }: { crew: Shape["CrewPage"]; person: Shape["Person"] }) {
  const [asked, setAsked] = useState(false);
  const go = useNavigate();
  const mine = useMe().data?.username === person.username;
  const ashore = useChange(
    () =>
      told(
        api.DELETE("/api/crews/{crew_id}/people/{username}", {
          params: { path: { crew_id: crew.id, username: person.username } },
        }),
      ),
    mine ? ["me"] : ["crew", crew.id],
    ["pack"],
    ["packs"],
    ["installations"],
  );
  if (person.role === "owner" || !(mine || crew.role === "owner")) return <Box sx={{ width: ASHORE_WIDTH }} />;
  const name = mine ? "Leave the crew" : "Remove";
  if (!asked)
    return (
      <Box sx={{ width: ASHORE_WIDTH, textAlign: "right" }}>
        <Button
          size="small"
          color="error"
          aria-label={mine ? name : `Remove ${person.name}`}
          onClick={() => setAsked(true)}
        >
          {name}
        </Button>
      </Box>
    );
  return (
    <>
      <Box sx={{ width: ASHORE_WIDTH }} />
      <Box sx={{ flexBasis: "100%" }}>
        <Remark tone="warning">
          {mine ? "You get" : `${person.name} gets`} no more releases, and {mine ? "leave" : "leaves"} the roll call.
          Every file stays where it is; a new join code brings {mine ? "you" : "them"} back to the same installations.
          <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
            <Button
              size="small"
              variant="contained"
              color="error"
              disabled={ashore.isPending}
              onClick={() => ashore.mutate(undefined, { onSuccess: () => mine && go("/") })}
            >
              {mine ? name : `Remove ${person.name}`}
            </Button>
            <Button size="small" onClick={() => setAsked(false)}>
              {mine ? "Stay" : "Keep"}
            </Button>
          </Box>
          <RefusalRemark error={ashore.error} />
        </Remark>
      </Box>
    </>
  );
}

const ASHORE_WIDTH = 130;

/** Whether what own builds claim is looked at by a second curator; its owner's to say. */
function SecondEyes({ crew }: { crew: Shape["CrewPage"] }) {
  const ask = useChange(
    (asked: boolean) =>
      told(api.PUT("/api/crews/{crew_id}/reviews", { params: { path: { crew_id: crew.id } }, body: { asked } })),
    ["crew", crew.id],
    ["pack"],
  );
  return (
    <Box component="section" sx={{ mt: 4 }}>
      <Typography variant="h2">A second pair of eyes</Typography>
      <FormControlLabel
        control={
          <Checkbox
            checked={crew.reviews}
            disabled={crew.role !== "owner" || ask.isPending}
            onChange={(event) => ask.mutate(event.target.checked)}
          />
        }
        label="Before a release, a second curator looks at own builds that claim to touch their player alone, or to belong to both sides"
      />
      <RefusalRemark error={ask.error} />
    </Box>
  );
}

function Shown({ crew }: { crew: Shape["CrewPage"] }) {
  const [heir, setHeir] = useState<Shape["Person"] | null>(null);
  const [handed, setHanded] = useState("");
  const change = useChange(
    ({ username, role }: { username: string; role: Shape["Role"] }) =>
      told(
        api.PUT("/api/crews/{crew_id}/people/{username}", {
          params: { path: { crew_id: crew.id, username } },
          body: { role },
        }),
      ),
    ["crew", crew.id],
    ["me"],
  );
  return (
    <>
      <Typography variant="h1">{crew.name}</Typography>
      <Typography sx={{ mb: 2, color: "text.secondary" }}>
        {many(crew.people.length, "person", "people")}. Somebody new comes aboard with a pack's join code.
      </Typography>
      <RefusalRemark error={change.error} />
      {handed && (
        <Remark tone="primary">
          <strong>{handed}</strong> owns {crew.name} from now on. You are a curator of it: you change drafts, publish
          and hand out codes, and only {handed} gives roles.
        </Remark>
      )}
      {heir && (
        <Dialog open onClose={() => setHeir(null)} aria-labelledby="hand-over-title">
          <DialogTitle id="hand-over-title">
            Hand {crew.name} over to {heir.name}?
          </DialogTitle>
          <DialogContent>
            {crew.people.find((one) => one.role === "owner")?.name} owns it now, and becomes a curator. {heir.name}{" "}
            gives roles from then on, and alone can hand it back.
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setHeir(null)}>Leave it as it is</Button>
            <Button
              variant="contained"
              color="error"
              disabled={change.isPending}
              onClick={() =>
                change.mutate(
                  { username: heir.username, role: "owner" },
                  { onSuccess: () => setHanded(heir.name), onSettled: () => setHeir(null) },
                )
              }
            >
              Hand it over
            </Button>
          </DialogActions>
        </Dialog>
      )}
      <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0 }}>
        {crew.people.map((one) => (
          <Box
            component="li"
            key={one.username}
            sx={{
              display: "flex",
              gap: 2,
              alignItems: "center",
              py: 1,
              borderBottom: 1,
              borderColor: "divider",
              flexWrap: "wrap",
            }}
          >
            <Box sx={{ flex: 1, minWidth: 180 }}>
              <strong>{one.name}</strong>
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                {one.username}, since {day(one.since)}
              </Typography>
            </Box>
            <Box sx={{ width: 150 }}>
              {crew.role === "owner" && one.role !== "owner" ? (
                <Pick
                  label={`Role of ${one.name}`}
                  value={one.role}
                  options={Object.keys(ROLES).map((role) => ({
                    value: role,
                    name: role === "owner" ? "owner (hand over)" : role,
                  }))}
                  onChange={(role) =>
                    role === "owner"
                      ? setHeir(one)
                      : change.mutate({ username: one.username, role: role as Shape["Role"] })
                  }
                />
              ) : (
                one.role
              )}
            </Box>
            <GoAshore crew={crew} person={one} />
          </Box>
        ))}
      </Box>
      {crew.role !== "member" && <Invitations crew={crew} />}
      <SecondEyes crew={crew} />
      <Typography variant="h2" sx={{ mt: 4, mb: 1 }}>
        Sources of this crew
      </Typography>
      <SourceList crew={crew.id} may={crew.role !== "member"} />
      <CrewKeys crewId={crew.id} />
      <Box component="section" sx={{ mt: 4 }}>
        <Typography variant="h2">What holds for its installations</Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          Where neither an installation nor its member says otherwise.
        </Typography>
        <CrewDefaults crewId={crew.id} may={crew.role === "owner"} />
      </Box>
      {crew.role === "owner" && <CrewData crew={crew} />}
      {crew.role === "owner" && (
        <Typography variant="body2" sx={{ mt: 2 }}>
          A game that is not here yet? <Link to={`/games/new?crew=${crew.id}`}>Bring it</Link>.
        </Typography>
      )}
      <Box
        component="dl"
        sx={{
          mt: 3,
          color: "text.secondary",
          fontSize: "0.9rem",
          display: "grid",
          gridTemplateColumns: "auto 1fr",
          columnGap: 2,
        }}
      >
        {Object.entries(ROLES).map(([role, may]) => (
          <Box key={role} sx={{ display: "contents" }}>
            <dt>{role}</dt>
            <dd style={{ margin: 0 }}>{may}</dd>
          </Box>
        ))}
      </Box>
    </>
  );
}
