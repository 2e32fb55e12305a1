// The games that one can start a pack of: everybody's, and those of one's crews.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useGames, useMe } from "../../api/queries";
import { Empty, Loaded } from "../../parts/notices";
import { many } from "../../parts/words";

export default function Games() {
  const games = useGames();
  const me = useMe().data;
  const may = me?.keeper || me?.crews.some((one) => one.role === "owner");
  return (
    <Box sx={{ maxWidth: 860, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", mb: 1.5 }}>
        <Typography variant="h1">Games</Typography>
        {may && (
          <Button variant="contained" component={Link} to="/games/new">
            Bring a game
          </Button>
        )}
      </Box>
      <Loaded query={games} rows={3}>
        {(rows) =>
          rows.length ? (
            rows.map((one) => (
              <Box key={one.id} sx={{ borderTop: 1, borderColor: "divider", py: 1.25 }}>
                <Typography variant="h3" component="h2">
                  <Link to={`/games/${one.id}`}>{one.name}</Link>
                </Typography>
                <Typography variant="body2">{one.summary}</Typography>
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  {one.crew_name || "everybody's"}, {many(one.versions.length, "version")}, newest{" "}
                  {one.versions[0]?.label}
                </Typography>
              </Box>
            ))
          ) : (
            <Empty title="No game yet">A crew's owner brings one: one file says all there is to know of it.</Empty>
          )
        }
      </Loaded>
    </Box>
  );
}
