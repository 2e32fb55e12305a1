// The bar on every page: mark, pack, palette, what needs you, account. Pages lie below it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useColorScheme } from "@mui/material/styles";
import Tooltip from "@mui/material/Tooltip";
import { Suspense, useState } from "react";
import { Outlet, Link as RouterLink, useNavigate, useParams } from "react-router";
import { ask } from "../api/account";
import { useNewsCount } from "../api/outside";
import { queryClient, useInstallations, useMe, usePack } from "../api/queries";
import { useKeys, useShowKeys } from "./keys";
import { Emblem, Hidden } from "./marks";
import { Palette } from "./Palette";
import { initials, many } from "./words";

export function Shell() {
  const [palette, setPalette] = useState(false);
  const navigate = useNavigate();
  const { packId } = useParams();
  const showKeys = useShowKeys();
  useKeys("Everywhere", [
    { key: "mod+k", does: "go to a pack, person, mod or place", run: () => setPalette(true) },
    { key: "?", does: "show the keys of this place", run: showKeys },
    { key: "H", does: "my convoy", run: () => navigate("/") },
  ]);
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Link
        href="#page"
        sx={{
          position: "absolute",
          left: -9999,
          "&:focus": { left: 8, top: 8, zIndex: 9, bgcolor: "background.paper", p: 1 },
        }}
      >
        To the page
      </Link>
      <Box
        component="header"
        sx={{
          display: "flex",
          alignItems: "center",
          gap: { xs: 0.5, sm: 2 },
          px: { xs: 1, sm: 2 },
          height: 48,
          flex: "none",
          borderBottom: 1,
          borderColor: "divider",
          bgcolor: "background.paper",
        }}
      >
        <Link
          component={RouterLink}
          to="/"
          underline="none"
          color="inherit"
          sx={{ display: "flex", gap: 1, alignItems: "center" }}
        >
          <img src="/mark.svg" alt="My convoy:" width={24} height={24} />
          <Box
            component="span"
            sx={{
              display: { xs: packId ? "none" : "inline", sm: "inline" },
              fontFamily: '"Bricolage Grotesque Variable"',
              fontWeight: 700,
              whiteSpace: "nowrap",
            }}
          >
            True Convoy
          </Box>
        </Link>
        {packId && <PackName id={packId} open={() => setPalette(true)} />}
        <Box sx={{ flex: 1 }} />
        <Tooltip title="Ctrl/Cmd K">
          <Button
            onClick={() => setPalette(true)}
            color="inherit"
            size="small"
            sx={{ display: { xs: "none", md: "inline-flex" } }}
          >
            Go to…
          </Button>
        </Tooltip>
        <NeedsYou />
        <NewsLink />
        <SchemeButton />
        <Account showKeys={showKeys} />
      </Box>
      <Box component="main" id="page" tabIndex={-1} sx={{ flex: 1, minHeight: 0, outline: "none" }}>
        <Suspense fallback={<Box sx={{ minHeight: "60vh" }} role="status" aria-label="Loading" />}>
          <Outlet />
        </Suspense>
      </Box>
      <Palette open={palette} close={() => setPalette(false)} />
    </Box>
  );
}

function PackName({ id, open }: { id: string; open: () => void }) {
  const pack = usePack(id).data;
  if (!pack) return null;
  return (
    <Tooltip title="Go to another pack">
      <Button onClick={open} color="inherit" size="small" sx={{ gap: 0.75, fontSize: "0.95rem", minWidth: 0 }}>
        <Emblem name={pack.emblem} size={20} />
        <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
          {pack.name}
        </Box>
      </Button>
    </Tooltip>
  );
}

/** One's news, with how much of it is unseen. */
function NewsLink() {
  const signedIn = !!useMe().data?.username;
  const unseen = useNewsCount(signedIn).data?.unseen ?? 0;
  if (!signedIn) return null;
  return (
    <Button component={RouterLink} to="/news" size="small" color="inherit" sx={{ minWidth: 0, whiteSpace: "nowrap" }}>
      News
      {unseen > 0 && (
        <Box component="span" sx={{ ml: 0.5, fontWeight: 700, color: "primary.main" }}>
          {Math.min(unseen, 99)}
          <Hidden>unseen</Hidden>
        </Box>
      )}
    </Button>
  );
}

/** Installations of one's own that are not in step: what needs you. */
function NeedsYou() {
  const signedIn = !!useMe().data?.username;
  return signedIn ? <NeedsYouSignedIn /> : null;
}

function NeedsYouSignedIn() {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const navigate = useNavigate();
  const waiting = (useInstallations().data ?? []).filter((one) => one.standing.to_do !== "");
  if (!waiting.length) return null;
  return (
    <>
      <Button
        size="small"
        color="warning"
        variant="outlined"
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ whiteSpace: "nowrap", flex: "none" }}
      >
        {many(waiting.length, "needs you", "need you")}
      </Button>
      <Menu anchorEl={anchor} open={!!anchor} onClose={() => setAnchor(null)}>
        {waiting.map((one) => (
          <MenuItem
            key={one.id}
            onClick={() => {
              setAnchor(null);
              navigate(`/installations/${one.id}`);
            }}
          >
            <Box>
              <strong>{one.pack}</strong>, {one.name}
              <Box sx={{ color: "text.secondary", fontSize: "0.85rem", whiteSpace: "normal" }}>
                {one.standing.to_do}
              </Box>
            </Box>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}

function SchemeButton() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const name = dark ? "Light colours" : "Dark colours";
  return (
    <Tooltip title={name}>
      <IconButton size="small" color="inherit" aria-label={name} onClick={() => setMode(dark ? "light" : "dark")}>
        <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden>
          <circle cx="9" cy="9" r="7" fill="none" stroke="currentColor" strokeWidth="1.6" />
          <path d="M9 2a7 7 0 0 1 0 14z" fill="currentColor" />
        </svg>
      </IconButton>
    </Tooltip>
  );
}

function Account({ showKeys }: { showKeys: () => void }) {
  const me = useMe().data;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const navigate = useNavigate();
  if (!me) return <Box sx={{ width: 80 }} />;
  if (!me.username) {
    return (
      <Button component={RouterLink} to="/sign-in" size="small">
        Sign in
      </Button>
    );
  }
  const go = (address: string) => () => {
    setAnchor(null);
    navigate(address);
  };
  return (
    <>
      <Button
        color="inherit"
        size="small"
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ minWidth: 0, maxWidth: { xs: 44, sm: 200 }, whiteSpace: "nowrap" }}
      >
        <Box component="span" sx={{ display: { xs: "none", sm: "inline" } }}>
          {me.name}
        </Box>
        <Box component="span" sx={{ display: { xs: "inline", sm: "none" } }}>
          {initials(me.name)}
        </Box>
        <Hidden>, account</Hidden>
      </Button>
      <Menu anchorEl={anchor} open={!!anchor} onClose={() => setAnchor(null)}>
        {me.crews.map((crew) => (
          <MenuItem key={crew.id} onClick={go(`/crews/${crew.id}`)}>
            {crew.name}, {crew.role}
          </MenuItem>
        ))}
        <MenuItem onClick={go("/join")}>Join with a code</MenuItem>
        <MenuItem onClick={go("/games")}>Games</MenuItem>
        {me.keeper && <MenuItem onClick={go("/site")}>The site, as its keeper</MenuItem>}
        <MenuItem onClick={go("/account")}>Your account</MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            showKeys();
          }}
        >
          Keys of this place
        </MenuItem>
        <MenuItem
          onClick={async () => {
            setAnchor(null);
            await ask("DELETE", "auth/session");
            queryClient.clear();
            navigate("/sign-in");
          }}
        >
          Sign out
        </MenuItem>
      </Menu>
    </>
  );
}
