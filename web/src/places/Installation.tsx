// A member's page for one installation: where I am, where the pack is, what will happen, one button.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { api, type Shape, told } from "../api/client";
import { isBusy, useChange, useInstallation } from "../api/queries";
import { ChangeList } from "../parts/ChangeList";
import { Copy } from "../parts/Copy";
import { Emblem, StateMark } from "../parts/marks";
import { Loaded, RefusalRemark, Remark } from "../parts/notices";
import { bytes, day, duration, many, when } from "../parts/words";
import { mono } from "../theme";

type Page = Shape["InstallationPage"];

export default function Installation() {
  const { installationId = "" } = useParams();
  const page = useInstallation(installationId);
  return (
    <Box sx={{ maxWidth: 1080, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={page}>{(one) => <Shown one={one} />}</Loaded>
    </Box>
  );
}

function Shown({ one }: { one: Page }) {
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 2 }}>
        <Emblem name={one.emblem} size={36} />
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h1">{one.pack}</Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {[one.name, one.crew, one.machine, one.side === "server" ? "server" : ""].filter(Boolean).join(" · ")}
          </Typography>
        </Box>
      </Box>
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", md: "3fr 2fr" }, alignItems: "start" }}>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          <Standing one={one} />
          {one.changes.length > 0 && (
            <Section title={one.release ? `New since ${one.release}` : `What release ${one.current} installs`}>
              <ChangeList changes={one.changes} />
            </Section>
          )}
        </Box>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          <Facts one={one} />
          <Section title="Releases">
            {one.releases.map((release) => (
              <Box key={release.number} sx={{ display: "flex", gap: 1.5, py: 0.25, fontSize: "0.9rem" }}>
                <Link
                  component={RouterLink}
                  to={`/packs/${one.pack_id}/releases/${release.number}`}
                  sx={{ fontFamily: mono }}
                >
                  {release.number}
                </Link>
                <span>{day(release.published_at)}</span>
                {release.number === one.release && <strong>you are here</strong>}
              </Box>
            ))}
          </Section>
        </Box>
      </Box>
    </>
  );
}

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, minWidth: 0 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        {title}
      </Typography>
      {children}
    </Paper>
  );
}

function Standing({ one }: { one: Page }) {
  const differing = one.standing.differences;
  const extras = differing.some((each) => each.what === "extra");
  const busy = isBusy(one.progress);
  const sync = useChange(
    (extras_aside: boolean) =>
      told(
        api.POST("/api/installations/{installation_id}/sync", {
          params: { path: { installation_id: one.id } },
          body: { extras_aside },
        }),
      ),
    ["installation", one.id],
  );
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, display: "grid", gap: 1.5 }}>
      <Box sx={{ fontSize: "1.15rem" }} aria-live="polite">
        <StateMark state={one.standing.state} behind={one.standing.behind} />
      </Box>
      <Where one={one} />
      {differing.length > 0 && (
        <Box component="ul" sx={{ m: 0, pl: 2.5, fontSize: "0.9rem" }}>
          {differing.map((each) => (
            <li key={each.sentence}>
              {each.sentence}
              {!each.counts && " (touches only you, so it need not match)"}
            </li>
          ))}
        </Box>
      )}
      {one.standing.to_do && !busy && one.paired && <Typography variant="body2">{one.standing.to_do}</Typography>}
      {one.progress.error && <Remark tone="error">{one.progress.error}</Remark>}
      {busy && <Busy progress={one.progress} />}
      <RefusalRemark error={sync.error} />
      {one.machine ? (
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          <Button variant="contained" size="large" disabled={busy || sync.isPending} onClick={() => sync.mutate(false)}>
            {buttonName(one)}
          </Button>
          {extras && (
            <Button variant="outlined" disabled={busy || sync.isPending} onClick={() => sync.mutate(true)}>
              Sync, and set extra files aside
            </Button>
          )}
        </Box>
      ) : (
        <Commands one={one} />
      )}
    </Paper>
  );
}

function Where({ one }: { one: Page }) {
  const said = one.release ? (
    <>
      This machine has <code>{one.release}</code>
      {one.release === one.current ? ", the pack's newest release." : "; the pack is at "}
      {one.release !== one.current && <code>{one.current}</code>}
    </>
  ) : (
    <>
      Nothing is installed yet. The pack is at <code>{one.current}</code>.
    </>
  );
  return <Typography variant="body2">{said}</Typography>;
}

function buttonName(one: Page): string {
  if (!one.release) return `Install release ${one.current}`;
  if (one.release !== one.current) return `Sync to ${one.current}`;
  return one.standing.state === "differs" ? "Put it right" : "Check and sync again";
}

const PHASES: Record<string, string> = {
  waiting: "Waiting for the machine",
  checking: "Looking at what is there",
  fetching: "Fetching",
  placing: "Placing files",
};

function Busy({ progress }: { progress: Shape["ProgressOut"] }) {
  const done = progress.total ? Math.min(100, (100 * progress.done) / progress.total) : 0;
  return (
    <Box role="status" sx={{ minHeight: 60 }}>
      <Typography variant="body2">
        {PHASES[progress.phase] ?? progress.phase} {progress.what}
      </Typography>
      <LinearProgress
        aria-label={PHASES[progress.phase] ?? progress.phase}
        variant={progress.total ? "determinate" : "indeterminate"}
        value={done}
        sx={{ my: 0.5, height: 6 }}
      />
      <Typography variant="caption">
        {progress.total > 0 && `${bytes(progress.done)} of ${bytes(progress.total)}`} {duration(progress.seconds_left)}
      </Typography>
    </Box>
  );
}

/** For a machine of one's own: the pairing command, made on request and shown once, then the everyday commands. */
function Commands({ one }: { one: Page }) {
  const [shown, setShown] = useState<Shape["PairingOut"] | null>(null);
  const make = useChange(
    () =>
      told(api.POST("/api/installations/{installation_id}/pairing", { params: { path: { installation_id: one.id } } })),
    ["installation", one.id],
  );
  const paired = one.paired && !shown;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {paired ? (
        <>
          <Typography variant="body2">On that machine, in the installation's folder:</Typography>
          <Command text="convoy sync" what="brings it to the newest release" />
          <Command text="convoy status" what="says where it stands, and reports it" />
          <Command text="convoy verify" what="hashes every file anew" />
        </>
      ) : (
        <Typography variant="body2">
          Run this once in a terminal on the machine where you play. It makes a folder of its own and touches nothing
          else.
        </Typography>
      )}
      {shown && (
        <>
          <Command text={shown.command} what="" />
          <Command text={`cd ${shown.command.split(" ").at(-1)} && convoy sync`} what="then installs the pack" />
          <Typography variant="caption">
            It works once, until{" "}
            {new Date(shown.until).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}.
            {one.paired && " This page has heard from the machine."}
          </Typography>
        </>
      )}
      <RefusalRemark error={make.error} />
      {!shown && (
        <Box>
          <Button
            variant={paired ? "text" : "contained"}
            disabled={make.isPending}
            onClick={() => make.mutate(undefined, { onSuccess: setShown })}
          >
            {paired ? "Pair another folder instead" : "Show the pairing command"}
          </Button>
        </Box>
      )}
    </Box>
  );
}

function Command({ text, what }: { text: string; what: string }) {
  return (
    <Box>
      <Box
        sx={{
          display: "flex",
          alignItems: "center",
          gap: 1,
          border: 1,
          borderColor: "divider",
          bgcolor: "background.default",
          pl: 1,
        }}
      >
        <Box component="code" sx={{ flex: 1, minWidth: 0, overflowWrap: "anywhere", py: 0.75 }}>
          {text}
        </Box>
        <Copy text={text} />
      </Box>
      {what && <Typography variant="caption">{what}</Typography>}
    </Box>
  );
}

function Facts({ one }: { one: Page }) {
  const matches = one.fingerprint !== "" && one.fingerprint === one.wanted_fingerprint;
  return (
    <Section title="This machine">
      <Box
        component="dl"
        sx={{
          display: "grid",
          gridTemplateColumns: "auto 1fr",
          columnGap: 2,
          rowGap: 0.5,
          m: 0,
          fontSize: "0.9rem",
          "& dd": { m: 0, overflowWrap: "anywhere" },
        }}
      >
        <dt>Base</dt>
        <dd>{one.base}</dd>
        <dt>Heard</dt>
        <dd>{when(one.heard_at)}</dd>
        <dt>Fingerprint</dt>
        <dd>
          <code>{one.fingerprint || "none yet"}</code>
          {one.fingerprint && (matches ? " · matches the pack" : ` · the pack's is ${one.wanted_fingerprint}`)}
        </dd>
        <dt>Signing key</dt>
        <dd>
          <code>{one.key}</code>
        </dd>
        {one.standing.differences.length > 0 && (
          <>
            <dt>Differs in</dt>
            <dd>{many(one.standing.differences.length, "mod")}</dd>
          </>
        )}
      </Box>
    </Section>
  );
}
