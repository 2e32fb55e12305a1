// A call for help: why the last start failed, what was gathered, what is said and proposed, and what it was in the end.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { helpLog, useChange, useHelpCall, usePack } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Emblem } from "../../parts/marks";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { many, when } from "../../parts/words";
import { Logs } from "../pack/bench/Logs";
import { TriedRelease } from "../pack/bench/Tried";
import { Answers } from "./Answers";
import { about, CallMark } from "./said";

export default function Call() {
  const { callId = "" } = useParams();
  const call = useHelpCall(callId);
  return (
    <Box sx={{ maxWidth: 1240, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={call}>{(one) => <Shown one={one} />}</Loaded>
    </Box>
  );
}

function Shown({ one }: { one: Shape["HelpCallOut"] }) {
  const pack = usePack(one.pack_id).data;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 2, minHeight: 44 }}>
        {pack && <Emblem name={pack.emblem} size={36} />}
        <Box sx={{ minWidth: 0 }}>
          <Typography variant="h1">{one.own ? "Your call for help" : `${one.member} calls for help`}</Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            <Link component={RouterLink} to={one.curates ? `/packs/${one.pack_id}/crew` : "/"}>
              {pack?.name}
            </Link>
            {one.installation && one.installation !== pack?.name && <> · {one.installation}</>} ·{" "}
            {when(one.sent_at ?? one.at)} · <CallMark state={one.state} />
          </Typography>
        </Box>
      </Box>
      {one.state === "gathered" && <ToSend one={one} />}
      {one.state === "closed" && (
        <Box sx={{ mb: 2 }}>
          <Remark tone="primary" live={false}>
            <strong>{one.was ? `It was: ${one.was}` : "Closed without a word of what it was"}</strong>{" "}
            {one.closed_by && `(${one.closed_by}, ${when(one.closed_at)})`}
          </Remark>
        </Box>
      )}
      <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" }, alignItems: "start" }}>
        <Box sx={{ display: "grid", gap: 2, minWidth: 0 }}>
          <Paper variant="outlined" component="section" aria-label="What it is about" sx={{ p: 2 }}>
            <Typography variant="h2" sx={{ mb: 0.5 }}>
              {about(one)}
            </Typography>
            {one.cause && one.words && <Typography sx={{ whiteSpace: "pre-wrap" }}>“{one.words}”</Typography>}
            <Others alike={one.alike} />
            <Beside one={one} />
          </Paper>
          {one.state !== "gathered" && <Answers one={one} />}
        </Box>
        <Paper variant="outlined" component="section" aria-label="What was gathered" sx={{ p: 2, minWidth: 0 }}>
          <Box sx={{ display: "flex", alignItems: "baseline", gap: 1 }}>
            <Typography variant="h2" sx={{ flex: 1 }}>
              What was gathered
            </Typography>
            <Copy text={one.text} name="Copy it all" />
          </Box>
          <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
            Names, addresses, places and keys of its member were replaced on their machine.
          </Typography>
          <Gathered text={one.text} />
        </Paper>
      </Box>
      {one.logs.includes("last") && (
        <Paper variant="outlined" sx={{ p: 2, mt: 2 }}>
          <Logs
            last={helpLog(one.id, "last")}
            good={one.logs.includes("good") ? helpLog(one.id, "good") : null}
            severity="information"
            names={one.names}
          />
        </Paper>
      )}
    </>
  );
}

/** What others had by the same cause. */
function Others({ alike }: { alike: Shape["HelpAlikeOut"] }) {
  if (!alike.people) return null;
  const [first, ...more] = alike.ends;
  return (
    <Box sx={{ mt: 1 }}>
      <Remark tone="primary" live={false}>
        <strong>
          {many(alike.people, "other", "others")} had this{first ? `. It was: ${first.was}` : ", and nobody knows yet"}
        </strong>
        {more.length > 0 && <> Or: {more.map((one) => one.was).join("; ")}</>}
      </Remark>
    </Box>
  );
}

function Beside({ one }: { one: Shape["HelpCallOut"] }) {
  return (
    <Box component="dl" sx={ROWS}>
      <dt>Release</dt>
      <dd>
        {one.number ? (
          <>
            <Link component={RouterLink} to={`/packs/${one.pack_id}/releases/${encodeURIComponent(one.number)}`}>
              {one.number}
            </Link>
            <TriedRelease packId={one.pack_id} number={one.number} />
          </>
        ) : (
          "none"
        )}
      </dd>
      <dt>Last good start</dt>
      <dd>{one.last_good ? <Start one={one.last_good} /> : "None that is known."}</dd>
      <dt>Newest starts</dt>
      <dd>
        {one.starts.length
          ? one.starts.slice(0, 4).map((start) => <Start key={start.began} one={start} />)
          : "None was made with convoy play."}
      </dd>
    </Box>
  );
}

const ROWS = {
  display: "grid",
  gridTemplateColumns: { xs: "1fr", sm: "120px 1fr" },
  columnGap: 2,
  rowGap: 0.5,
  mt: 1.5,
  mb: 0,
  fontSize: "0.9rem",
  "& dt": { color: "text.secondary" },
  "& dd": { m: 0, minWidth: 0, overflowWrap: "anywhere" },
};

function Start({ one }: { one: Shape["HelpStartOut"] }) {
  return (
    <Box>
      <Box component="span" sx={{ color: one.good ? "primary.main" : "error.main", fontWeight: 600 }}>
        <span aria-hidden>{one.good ? "●" : "▬"}</span> {one.good ? "good" : "failed"}
      </Box>{" "}
      {when(one.began)}, release {one.release}: {one.sentence}
    </Box>
  );
}

/** The text as it was written: its headings, and the rest as it stands. */
function Gathered({ text }: { text: string }) {
  const parts = text.split(/^## /m).slice(1);
  return (
    <>
      {parts.map((part) => {
        const [title, ...lines] = part.split("\n");
        return (
          <Box key={title} component="section" sx={{ mb: 1.5 }}>
            <Typography variant="h3">{title}</Typography>
            <Box sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere", fontSize: "0.85rem" }}>
              {lines.join("\n").trim()}
            </Box>
          </Box>
        );
      })}
    </>
  );
}

function ToSend({ one }: { one: Shape["HelpCallOut"] }) {
  const go = useNavigate();
  const path = { params: { path: { call_id: one.id } } };
  const about = [
    ["call", one.id],
    ["pack", one.pack_id, "calls"],
  ];
  const send = useChange(() => told(api.POST("/api/calls/{call_id}/send", path)), ...about);
  const drop = useChange(() => told(api.DELETE("/api/calls/{call_id}", path)), ["pack", one.pack_id, "calls"]);
  return (
    <Box sx={{ mb: 2, display: "grid", gap: 1 }}>
      <Remark tone="warning" live={false}>
        <strong>Nobody but you has seen this yet.</strong> Look through what was gathered; if there is anything that you
        would not show, do not send it.
      </Remark>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
        <Button variant="contained" disabled={send.isPending} onClick={() => send.mutate(undefined)}>
          Send it to the curators
        </Button>
        <Button
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(undefined, {
              onSuccess: () => go(one.installation_id ? `/installations/${one.installation_id}` : "/"),
            })
          }
        >
          Throw it away
        </Button>
      </Box>
      <RefusalRemark error={send.error ?? drop.error} />
    </Box>
  );
}
