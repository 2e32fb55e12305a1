// Where I am, where the pack is, what is being done, and the one button.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { isBusy } from "../../api/queries";
import { StateMark } from "../../parts/marks";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many, when } from "../../parts/words";
import { type Page, useChoose, useOrder } from "./asking";
import { Busy } from "./Busy";
import { Commands } from "./Commands";

export function Standing({ one }: { one: Page }) {
  const busy = isBusy(one.progress);
  const order = useOrder(one.id);
  const extras = one.standing.differences.some((each) => each.what === "extra");
  const stopped = busy || order.isPending;
  const installing = busy && !one.release; // it has said nothing yet, and is being heard all the same
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, display: "grid", gap: 1.5 }}>
      <Box sx={{ fontSize: "1.15rem" }} aria-live="polite">
        {installing ? (
          <strong>Installing release {one.target}</strong>
        ) : (
          <StateMark state={one.standing.state} behind={one.standing.behind} />
        )}
        {one.standing.since && !installing && (
          <Box component="span" sx={{ fontSize: "0.85rem", color: "text.secondary", ml: 1 }}>
            since {when(one.standing.since)}
          </Box>
        )}
      </Box>
      <Where one={one} />
      {one.fit.obstacles.map((each) => (
        <Remark key={each} tone="error" live={false}>
          {each}.
        </Remark>
      ))}
      {one.standing.to_do && !busy && (one.paired || one.fit.obstacles.length > 0) && (
        <Typography variant="body2">{one.standing.to_do}</Typography>
      )}
      {!busy && <LeaveOut one={one} />}
      <Outcome one={one} busy={busy} />
      {one.worlds.length > 0 && !busy && (
        <Remark tone="warning" live={false}>
          <strong>This touches saved worlds.</strong> They are backed up first; what changes for them is named below.
        </Remark>
      )}
      {busy && <Busy id={one.id} progress={one.progress} />}
      <RefusalRemark error={order.error} />
      {one.watching && one.target && !one.by_listing && (
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          <Button variant="contained" size="large" disabled={stopped} onClick={() => order.mutate({ what: "sync" })}>
            {one.sync_does}
          </Button>
          {extras && (
            <Button
              variant="outlined"
              disabled={stopped}
              onClick={() => order.mutate({ what: "sync", extras_aside: true })}
            >
              Sync, and set extra files aside
            </Button>
          )}
          {one.over_limit && (
            <Button variant="outlined" disabled={stopped} onClick={() => order.mutate({ what: "sync", anyway: true })}>
              Fetch it all the same
            </Button>
          )}
          <Button disabled={stopped} onClick={() => order.mutate({ what: "look", thorough: one.release !== "" })}>
            {one.release ? "Verify every file" : "See what would happen"}
          </Button>
        </Box>
      )}
      {one.watching && one.release && !one.by_listing && <Play one={one} />}
      {!one.machine && !one.watching && !one.paired && <Commands one={one} />}
      {!one.machine && !one.watching && one.paired && one.target && (
        <Typography variant="body2">
          Run <code>convoy sync</code> in the installation's folder, or <code>convoy watch</code>: while that runs, this
          page has buttons.
        </Typography>
      )}
    </Paper>
  );
}

/** Starts the game that was confirmed on the machine. What nobody else has can be off meanwhile. */
function Play({ one }: { one: Page }) {
  const order = useOrder(one.id);
  const busy = isBusy(one.progress);
  const extras = one.standing.differences.some((each) => each.what === "extra");
  const ready =
    one.release === one.target && one.standing.differences.every((each) => each.what === "extra" || !each.counts);
  return (
    <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center" }}>
      <Button
        variant="outlined"
        disabled={busy || order.isPending || !ready}
        onClick={() => order.mutate({ what: "play", alone: extras })}
      >
        {extras ? "Play, without what nobody else has" : "Play"}
      </Button>
      <Button disabled={busy || order.isPending} onClick={() => order.mutate({ what: "play", plain: true })}>
        Start it without mods
      </Button>
      <RefusalRemark error={order.error} />
    </Box>
  );
}

/** Optional mods without which it would run: left out with one press, and back in under “My choices”. */
function LeaveOut({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  const heavy = one.choices.filter((each) => each.taken && one.fit.leave_out.includes(each.name));
  if (!heavy.length) return null;
  const left_out = one.choices.filter((each) => !each.taken || heavy.includes(each)).map((each) => each.mod);
  return (
    <Box>
      <Button variant="outlined" disabled={choose.isPending} onClick={() => choose.mutate({ left_out })}>
        Leave {heavy.length > 1 ? "these" : "it"} out
      </Button>
      <RefusalRemark error={choose.error} />
    </Box>
  );
}

function Where({ one }: { one: Page }) {
  return (
    <>
      <Typography variant="body2">
        {one.release ? (
          <>
            This machine has <code>{one.release}</code>
          </>
        ) : (
          "Nothing is installed yet"
        )}
        <WherePack one={one} /> {one.stays_at && one.target !== one.current && <>You chose to stay at {one.target}.</>}
      </Typography>
      {(one.standing.withdrawn || one.standing.other) && (
        <Remark tone="warning" live={false}>
          <strong>{one.standing.withdrawn || `${one.standing.other}.`}</strong>
        </Remark>
      )}
    </>
  );
}

function WherePack({ one }: { one: Page }) {
  if (!one.current) return <>; no release is open: wait for the next.</>;
  if (one.release === one.current) return <>, the pack's newest release.</>;
  return (
    <>
      ; the pack is at <code>{one.current}</code>.
    </>
  );
}

function Outcome({ one, busy }: { one: Page; busy: boolean }) {
  if (busy) return null;
  if (one.answer) return <Remark tone={one.refused ? "error" : "primary"}>{one.answer}</Remark>;
  return one.progress.error ? <Remark tone="error">{one.progress.error}</Remark> : null;
}

export const aboutErrands = (one: Page) =>
  `${many(one.errands.length, "file")}, about ${many(one.errand_minutes, "minute")}`;
