// One source: what was read and when, what was refused and why, how big it is; pausing it, taking it away.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { bytes, day, many, when } from "../../parts/words";
import { mono } from "../../theme";

type Page = Shape["SourcePage"];

export default function SourcePlace() {
  const { sourceId = "" } = useParams();
  const source = useQuery({
    queryKey: ["sources", "one", sourceId],
    queryFn: () => told(api.GET("/api/sources/{source_id}", { params: { path: { source_id: sourceId } } })),
    refetchInterval: 4_000,
  });
  return (
    <Box sx={{ maxWidth: 860, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Loaded query={source}>{(page) => <Shown page={page} />}</Loaded>
    </Box>
  );
}

function Shown({ page }: { page: Page }) {
  const path = { params: { path: { source_id: page.id } } };
  const about = [["sources"], ["games"], ["pack"]];
  const pause = useChange(
    () => told(api.POST("/api/sources/{source_id}/pause", { ...path, body: { paused: page.state !== "paused" } })),
    ...about,
  );
  const readNow = useChange(() => told(api.POST("/api/sources/{source_id}/reading", path)), ...about);
  const facts: [string, string][] = [
    ["Game", page.game_name + (page.follows ? ", whose versions come from here" : "")],
    ["Address", page.address],
    ["Pickup", page.pickup],
    ["Signed by", page.fingerprint || "nobody"],
    ["Added by", page.added_by || "the site"],
    ["Read", page.state === "paused" ? "paused" : when(page.read_at)],
    ["Lists", `${many(page.mods, "mod")}, ${many(page.builds, "build")}, ${bytes(page.bytes)} of archives`],
    ["No longer listed", many(page.gone, "build")],
    ["Its catalogue so far", bytes(page.bytes_read)],
  ];
  return (
    <>
      <Typography variant="h1" sx={{ mb: 1 }}>
        {page.name}
      </Typography>
      {page.rest_until && (
        <Remark tone="warning" live={false}>
          It could not be read, and is left alone until{" "}
          {when(page.rest_until) === "just now" ? "now" : day(page.rest_until)}.
        </Remark>
      )}
      <Box
        component="dl"
        sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 2, rowGap: 0.5, my: 2, fontSize: "0.9rem" }}
      >
        {facts.map(([what, value]) => (
          <Box key={what} sx={{ display: "contents" }}>
            <Box component="dt" sx={{ color: "text.secondary" }}>
              {what}
            </Box>
            <Box
              component="dd"
              sx={{
                m: 0,
                overflowWrap: "anywhere",
                fontFamily: what === "Signed by" && page.fingerprint ? mono : undefined,
              }}
            >
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      {page.may_change && (
        <Box sx={{ display: "flex", gap: 1, mb: 2 }}>
          <Button
            variant="outlined"
            disabled={readNow.isPending || page.state === "paused"}
            onClick={() => readNow.mutate(undefined)}
          >
            Read it now
          </Button>
          <Button disabled={pause.isPending} onClick={() => pause.mutate(undefined)}>
            {page.state === "paused" ? "Go on reading it" : "Pause it"}
          </Button>
          <Remove page={page} />
        </Box>
      )}
      <RefusalRemark error={pause.error ?? readNow.error} />
      <Typography variant="h2" sx={{ mt: 3, mb: 1 }}>
        {page.troubles.length
          ? `${many(page.troubles.length, "entry was", "entries were")} not taken`
          : "Everything that it lists was taken"}
      </Typography>
      {page.troubles.map((one) => (
        <Box
          key={one}
          sx={{ borderTop: 1, borderColor: "divider", py: 0.75, fontSize: "0.875rem", overflowWrap: "anywhere" }}
        >
          {one}
        </Box>
      ))}
    </>
  );
}

function Remove({ page }: { page: Page }) {
  const [asked, setAsked] = useState(false);
  const navigate = useNavigate();
  const remove = useChange(
    () => told(api.DELETE("/api/sources/{source_id}", { params: { path: { source_id: page.id } } })),
    ["sources"],
    ["pack"],
  );
  return (
    <>
      <Button color="error" onClick={() => setAsked(true)}>
        Remove…
      </Button>
      <Dialog open={asked} onClose={() => setAsked(false)} aria-labelledby="remove-source">
        <DialogTitle id="remove-source">Remove {page.name}?</DialogTitle>
        <DialogContent>
          {page.using.length ? (
            <>
              Its builds stand in drafts:{" "}
              {page.using.map((one) => `${one.name} (${many(one.builds, "build")})`).join(", ")}. They are no longer
              offered there.{" "}
            </>
          ) : (
            "No draft has a build of it. "
          )}
          What is published stays, and members go on fetching for it.
          <RefusalRemark error={remove.error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setAsked(false)}>Keep it</Button>
          <Button
            color="error"
            variant="contained"
            disabled={remove.isPending}
            onClick={() => remove.mutate(undefined, { onSuccess: () => navigate(-1) })}
          >
            Remove it
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
