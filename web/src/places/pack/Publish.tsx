// Publish: what has changed since the last release, number, channel and notes; and the codes that hand it out.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { UseQueryResult } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange, useEdits, useFindings, usePack, usePending, useReleases } from "../../api/queries";
import { ChangeList } from "../../parts/ChangeList";
import { Empty, Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { day, many, when } from "../../parts/words";
import { mono } from "../../theme";
import { ToSign } from "../keys/ToSign";
import { TriedDraft } from "./bench/Tried";
import { Codes } from "./Codes";
import { Promote } from "./Promote";
import { asSealed, OPEN, SealFields } from "./Seal";
import { Terms } from "./Terms";
import { Withdraw } from "./Withdraw";

const SHOWN_EDITS = 8;

type Channel = Shape["ReleaseChannel"];

export default function Publish() {
  const { packId = "" } = useParams();
  const [channel, setChannel] = useState<Channel>("stable");
  const pending = usePending(packId, channel);
  const role = usePack(packId).data?.role ?? "member";
  const may = role !== "member";
  return (
    <Box
      sx={{
        maxWidth: 1180,
        mx: "auto",
        p: { xs: 1.5, sm: 3 },
        display: "grid",
        gap: 3,
        gridTemplateColumns: { xs: "1fr", md: "3fr 2fr" },
        alignItems: "start",
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        <ToSign packId={packId} may={may} />
        <Loaded query={pending}>
          {(data) => <Next packId={packId} pending={data} may={may} channel={channel} setChannel={setChannel} />}
        </Loaded>
        <Terms packId={packId} may={may} />
      </Box>
      <Box sx={{ display: "grid", gap: 3, minWidth: 0 }}>
        {may && <Codes packId={packId} />}
        <Releases packId={packId} may={may} />
        <Edits packId={packId} />
      </Box>
    </Box>
  );
}

function Next({
  packId,
  pending,
  may,
  channel,
  setChannel,
}: {
  packId: string;
  pending: Shape["Pending"];
  may: boolean;
  channel: Channel;
  setChannel: (channel: Channel) => void;
}) {
  const blockers = (useFindings(packId).data?.findings ?? []).filter(
    (one) => one.severity === "blocker" && !one.laid_down && !(one.check === "playthrough" && channel === "trial"),
  );
  const [number, setNumber] = useState(pending.suggested);
  const [notes, setNotes] = useState("");
  const [despite, setDespite] = useState("");
  const [announcement, setAnnouncement] = useState("");
  const [sealing, setSealing] = useState(OPEN);
  const pack = usePack(packId).data;
  const trial = channel === "trial";
  const [made, setMade] = useState("");
  useEffect(() => setNumber(pending.suggested), [pending.suggested]);
  const publish = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/releases", {
          params: { path: { pack_id: packId } },
          body: {
            revision: pending.revision,
            number,
            notes,
            channel,
            despite,
            announcement,
            ...asSealed(sealing),
          },
        }),
      ),
    ["pack", packId],
    ["packs"],
  );
  const moved = pending.base_before !== "";
  return (
    <>
      <Typography variant="h1" sx={{ fontSize: "1.3rem", mb: 1 }}>
        {pending.since ? `Changes since release ${pending.since}` : "The first release"}
      </Typography>
      {made && (
        <Box sx={{ mb: 2 }}>
          <Remark tone="primary">
            <strong>Release {made} is published and signed.</strong> It never changes from now on. Members see it the
            next time they look.
          </Remark>
        </Box>
      )}
      {pending.empty ? (
        <Empty title="The draft is empty">Add a mod under Assemble first.</Empty>
      ) : pending.nothing ? (
        <Empty
          title="Nothing has changed"
          action={
            trial && (
              <Button size="small" onClick={() => setChannel("stable")}>
                See it against the last stable release
              </Button>
            )
          }
        >
          Release {pending.since} holds exactly this draft.
        </Empty>
      ) : (
        <>
          {!trial && pending.trial && may && (
            <Box sx={{ mb: 1.5 }}>
              <Remark tone="info" live={false}>
                <strong>Trial release {pending.trial} holds exactly this.</strong> Promote it, and everybody gets what
                was tried.
                <Promote packId={packId} trial={pending.trial} />
              </Remark>
            </Box>
          )}
          <Typography variant="body2" sx={{ mb: 1.5 }}>
            Base: {pending.base}
            {moved && ` (was ${pending.base_before})`}
          </Typography>
          <ChangeList changes={pending.changes} />
          {may && (
            <Box
              component="form"
              sx={{ display: "grid", gap: 2, mt: 3, maxWidth: 520 }}
              onSubmit={(event) => {
                event.preventDefault();
                setMade("");
                publish.mutate(undefined, {
                  onSuccess: (release) => {
                    if (!release.waits) setMade(release.number);
                    setNotes("");
                    setAnnouncement("");
                    setSealing(OPEN);
                  },
                });
              }}
            >
              <Box sx={{ maxWidth: 200 }}>
                <TextField
                  label="Number"
                  required
                  value={number}
                  error={!!publish.error?.field("number")}
                  onChange={(event) => setNumber(event.target.value)}
                  slotProps={{ htmlInput: { style: { fontFamily: mono } } }}
                />
              </Box>
              <TextField
                label="Notes for the crew"
                multiline
                minRows={3}
                value={notes}
                onChange={(event) => setNotes(event.target.value)}
              />
              <Announcing
                packId={packId}
                said={{ number, channel, notes }}
                text={announcement}
                setText={setAnnouncement}
              />
              <FormControlLabel
                control={
                  <Checkbox size="small" checked={trial} onChange={(_, on) => setChannel(on ? "trial" : "stable")} />
                }
                label="For trial: only those who chose trial releases get it"
              />
              {pack && (
                <SealFields
                  pack={pack}
                  value={sealing}
                  onChange={setSealing}
                  wrong={publish.error?.field("sealed_until")}
                />
              )}
              {blockers.length > 0 && (
                <Remark tone="error" live={false}>
                  <strong>{many(blockers.length, "blocker stands", "blockers stand")} in the way.</strong>{" "}
                  {blockers[0].what}{" "}
                  <Link component={RouterLink} to={`/packs/${packId}/check`}>
                    See Check
                  </Link>
                </Remark>
              )}
              {blockers.length > 0 && (
                <TextField
                  label="Published all the same, because"
                  helperText="Members read it with the release."
                  value={despite}
                  onChange={(event) => setDespite(event.target.value)}
                  slotProps={{ htmlInput: { maxLength: 200 } }}
                />
              )}
              <RefusalRemark error={publish.error} />
              <TriedDraft packId={packId} />
              <Box>
                <Button
                  type="submit"
                  variant="contained"
                  size="large"
                  disabled={publish.isPending || (blockers.length > 0 && !despite.trim())}
                >
                  Publish release {number}
                </Button>
              </Box>
            </Box>
          )}
        </>
      )}
    </>
  );
}

/** The announcement: written by the product when asked, and then the curator's to change. */
function Announcing(props: {
  packId: string;
  said: Shape["AnnouncementIn"];
  text: string;
  setText: (text: string) => void;
}) {
  const write = useChange(() =>
    told(
      api.POST("/api/packs/{pack_id}/announcement", {
        params: { path: { pack_id: props.packId } },
        body: props.said,
      }),
    ),
  );
  const ask = () => write.mutate(undefined, { onSuccess: (made) => props.setText(made.text) });
  return (
    <Box>
      {props.text ? (
        <TextField
          label="Announcement"
          multiline
          minRows={6}
          maxRows={24}
          value={props.text}
          onChange={(event) => props.setText(event.target.value)}
          helperText="In notices, mail, the feed and calls, and on the release's page."
        />
      ) : (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          The announcement is written for you: changes in sentences, what members do, what happens to worlds.
        </Typography>
      )}
      <Button size="small" disabled={write.isPending} onClick={ask}>
        {props.text ? "Write it anew" : "See it, and change it"}
      </Button>
      <RefusalRemark error={write.error} />
    </Box>
  );
}

function SideList<T>(props: { title: string; query: UseQueryResult<T[], Error>; children: (list: T[]) => ReactNode }) {
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        {props.title}
      </Typography>
      <Loaded query={props.query} rows={3}>
        {(list) =>
          list.length ? (
            props.children(list)
          ) : (
            <Typography variant="body2" sx={{ color: "text.secondary" }}>
              None yet.
            </Typography>
          )
        }
      </Loaded>
    </Paper>
  );
}

/** Who did what to the draft lately. */
function Edits({ packId }: { packId: string }) {
  const edits = useEdits(packId);
  return (
    <SideList title="Latest edits" query={edits}>
      {(list) =>
        list.slice(0, SHOWN_EDITS).map((one) => (
          <Box key={one.revision} sx={{ py: 0.4, fontSize: "0.9rem" }}>
            {one.sentence}{" "}
            <Box component="span" sx={{ color: "text.secondary" }}>
              {one.by}, {when(one.at)}
            </Box>
          </Box>
        ))
      }
    </SideList>
  );
}

function Releases({ packId, may }: { packId: string; may: boolean }) {
  const releases = useReleases(packId);
  return (
    <SideList title="Releases" query={releases}>
      {(list) =>
        list.map((one) => (
          <Box
            key={one.number}
            sx={{
              display: "flex",
              gap: 1.5,
              py: 0.5,
              fontSize: "0.9rem",
              alignItems: "baseline",
              flexWrap: "wrap",
            }}
          >
            <Link component={RouterLink} to={`/packs/${packId}/releases/${one.number}`} sx={{ fontFamily: mono }}>
              {one.number}
            </Link>
            <span>{one.channel}</span>
            <span>{day(one.published_at)}</span>
            <Box component="span" sx={{ color: "text.secondary" }}>
              +{one.added} ↑{one.updated} −{one.removed}
            </Box>
            {one.withdrawn ? (
              <Box sx={{ width: "100%", color: "error.main" }}>▬ withdrawn: {one.withdrawn}</Box>
            ) : (
              may && <Withdraw packId={packId} number={one.number} only={one.only_open} />
            )}
            {may && one.may_promote && <Promote packId={packId} trial={one.number} />}
          </Box>
        ))
      }
    </SideList>
  );
}
