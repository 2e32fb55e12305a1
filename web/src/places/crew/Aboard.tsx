// An invitation to a crew: what it leads to, with which role, and coming aboard.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useInvitedTo } from "../../api/outside";
import { useChange, useMe } from "../../api/queries";
import { Loaded, RefusalRemark } from "../../parts/notices";

const MEANS: Record<string, string> = {
  curator: "You change drafts, publish, and hand out codes.",
  member: "You see everything, and play.",
};

export default function Aboard() {
  const { code = "" } = useParams();
  const me = useMe();
  const signedIn = !!me.data?.username;
  const invited = useInvitedTo(code, signedIn);
  const next = encodeURIComponent(`/aboard/${code}`);
  return (
    <Box sx={{ maxWidth: 560, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Come aboard
      </Typography>
      <Loaded query={me}>
        {() =>
          signedIn ? (
            <Loaded query={invited} rows={3}>
              {(one) => <Invited one={one} code={code} />}
            </Loaded>
          ) : (
            <>
              <Typography sx={{ mb: 2 }}>
                Somebody invites you to a crew. To come aboard you need an account here.
              </Typography>
              <Box sx={{ display: "flex", gap: 2 }}>
                <Button variant="contained" component={Link} to={`/sign-in?new=1&next=${next}`}>
                  Make an account
                </Button>
                <Button variant="outlined" component={Link} to={`/sign-in?next=${next}`}>
                  Sign in
                </Button>
              </Box>
            </>
          )
        }
      </Loaded>
    </Box>
  );
}

function Invited({ one, code }: { one: Shape["InvitedTo"]; code: string }) {
  const navigate = useNavigate();
  const come = useChange(
    () => told(api.POST("/api/aboard/{code}", { params: { path: { code } } })),
    ["me"],
    ["packs"],
    ["crew"],
  );
  return (
    <>
      <Typography variant="h2">{one.name}</Typography>
      <Typography sx={{ mb: 2 }}>
        {one.owner && `${one.owner} owns it. `}
        {one.now ? `You are in it already, as ${one.now}.` : `${one.by} invites you as ${one.role}. ${MEANS[one.role]}`}
      </Typography>
      <RefusalRemark error={come.error} />
      {one.now ? (
        <Button variant="contained" component={Link} to={`/crews/${one.crew}`}>
          To the crew
        </Button>
      ) : (
        <Button
          variant="contained"
          disabled={come.isPending}
          onClick={() => come.mutate(undefined, { onSuccess: (crew) => navigate(`/crews/${crew.id}`) })}
        >
          Come aboard {one.name}
        </Button>
      )}
    </>
  );
}
