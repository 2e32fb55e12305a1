// The front page, for whoever has no account: what this is, shown by the line itself, and a way in for each.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Shape } from "../../api/client";
import { LinePicture } from "./LinePicture";

export function Front({ me }: { me: Shape["Me"] }) {
  const [code, setCode] = useState("");
  const navigate = useNavigate();
  return (
    <Box sx={{ maxWidth: 1100, mx: "auto", px: { xs: 2, sm: 4 }, py: { xs: 3, sm: 5 } }}>
      <Typography variant="h1" sx={{ fontSize: { xs: "2rem", sm: "2.6rem" }, mb: 1.5 }}>
        Everyone in step
      </Typography>
      <Typography sx={{ fontSize: "1.1rem", maxWidth: 720, mb: 3 }}>
        One of you puts a pack of mods together and publishes it with fixed versions. Everybody else follows it with one
        code, and keeps their own worlds and settings. Before the evening starts, everyone sees who is ready, who is
        not, and what each of them has to do.
      </Typography>
      <LinePicture />
      <Box
        sx={{
          mt: 4,
          display: "grid",
          columnGap: 4,
          rowGap: 3,
          gridTemplateColumns: { xs: "1fr", md: "1.2fr 1fr 1fr" },
        }}
      >
        <Way title="I was given a code">
          <Box
            component="form"
            sx={{ display: "flex", gap: 1, alignItems: "start" }}
            onSubmit={(event) => {
              event.preventDefault();
              navigate(`/join/${encodeURIComponent(code.trim())}`);
            }}
          >
            <TextField
              label="Join code"
              placeholder="K7XM-42QD"
              required
              value={code}
              onChange={(event) => setCode(event.target.value)}
            />
            <Button type="submit" variant="contained" sx={{ height: 40, flex: "none" }}>
              Join
            </Button>
          </Box>
          <Typography variant="body2" sx={{ mt: 1 }}>
            It takes you from there to playing: an account, one command, the pack.
          </Typography>
        </Way>
        <Way title="I put packs together">
          <Typography variant="body2" sx={{ mb: 1 }}>
            Search, paste a list, or drop a folder that you filled by hand. What mods need comes with them.
          </Typography>
          <Button variant="outlined" component={Link} to={me.registration === "closed" ? "/sign-in" : "/sign-in?new=1"}>
            {me.registration === "closed" ? "Sign in" : "Make an account"}
          </Button>
        </Way>
        <Way title="I want a site like this">
          <Typography variant="body2">
            It is free to keep, on a small server of your own: <code>./run serve</code> starts it. Your game is one
            file, your mods a folder of archives.
          </Typography>
        </Way>
      </Box>
      <Typography variant="body2" sx={{ mt: 4 }}>
        You have an account? <Link to="/sign-in">Sign in</Link>
      </Typography>
    </Box>
  );
}

function Way({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" sx={{ borderTop: 2, borderColor: "text.primary", pt: 1.5 }}>
      <Typography variant="h2" sx={{ mb: 1.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}
