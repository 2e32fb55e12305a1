// On the bench: start the draft as it is, and see how each earlier start went.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import { useChange, usePack, useTrials } from "../../../api/queries";
import { Empty, Loaded, RefusalRemark } from "../../../parts/notices";
import { when } from "../../../parts/words";
import { called, isOpen, verdict } from "./said";

export default function Bench() {
  const { packId = "" } = useParams();
  const found = useTrials(packId);
  const may = usePack(packId).data?.role !== "member";
  return (
    <Loaded query={found}>
      {(bench) => (
        <>
          <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", flexWrap: "wrap", mb: 1 }}>
            <Typography variant="body2" sx={{ flex: "1 1 280px", color: "text.secondary", maxWidth: 720 }}>
              A fresh installation of what stands here is started with the game itself, apart from everything else. It
              says whether the main screen comes up, which mods came with it, and what the log names.
            </Typography>
            {may && bench.has_bench && <TryIt packId={packId} bench={bench} />}
          </Box>
          {!bench.has_bench && (
            <Empty title="This game is not tried on this site">
              Whoever keeps the site has not set up a bench for it. On a machine of your own, <code>convoy play</code>{" "}
              starts it and reads its log.
            </Empty>
          )}
          {bench.has_bench && !bench.trials.length && (
            <Empty title="Nothing was tried yet">What is tried stays here for two months, with its log.</Empty>
          )}
          {bench.trials.map((one) => (
            <Row key={one.id} packId={packId} one={one} />
          ))}
        </>
      )}
    </Loaded>
  );
}

function TryIt({ packId, bench }: { packId: string; bench: Shape["BenchOut"] }) {
  const go = useNavigate();
  const current = bench.trials.find((one) => one.id === bench.current);
  const ask = useChange(
    () =>
      told(api.POST("/api/packs/{pack_id}/trials", { params: { path: { pack_id: packId } }, body: { number: "" } })),
    ["pack", packId, "trials"],
  );
  return (
    <Box sx={{ display: "grid", gap: 1, justifyItems: "end", ml: "auto" }}>
      <Button
        variant="contained"
        disabled={ask.isPending || (current && isOpen(current))}
        onClick={() => ask.mutate(undefined, { onSuccess: (made) => go(`/packs/${packId}/check/bench/${made.id}`) })}
      >
        {current && !isOpen(current) ? "Try the draft again" : "Try the draft"}
      </Button>
      <RefusalRemark error={ask.error} />
    </Box>
  );
}

function Row({ packId, one }: { packId: string; one: Shape["TrialRow"] }) {
  const { text, tone } = verdict(one);
  const outcome = one.outcome;
  return (
    <Box
      component="article"
      aria-label={`${called(one)}: ${text}`}
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "1fr", sm: "150px 1fr 200px" },
        columnGap: 2,
        py: 1,
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <Box sx={{ fontWeight: 600 }}>
        {called(one)}
        {one.is_current && (
          <Box component="span" sx={{ display: "block", fontWeight: 400, fontSize: "0.85rem" }}>
            as it is now
          </Box>
        )}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Link
          component={RouterLink}
          to={`/packs/${packId}/check/bench/${one.id}`}
          sx={{ color: `${tone}.main`, fontWeight: 600 }}
        >
          {text}
        </Link>
        {outcome && (outcome.cause || outcome.last) && (
          <Box sx={{ fontSize: "0.9rem", overflowWrap: "anywhere" }}>{outcome.cause?.sentence ?? outcome.last}</Box>
        )}
        {outcome && (
          <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
            {outcome.loaded} mods came up
            {outcome.failed > 0 && `, ${outcome.failed} failed`}
            {outcome.silent > 0 && `, of ${outcome.silent} nothing was said`} · {outcome.memory_mb} MB at most
          </Box>
        )}
      </Box>
      <Box sx={{ fontSize: "0.85rem", color: "text.secondary", textAlign: { sm: "right" } }}>
        {one.by}, {when(one.at)}
        {one.pinned && " · pinned"}
      </Box>
    </Box>
  );
}
