// What the agent is doing: how far in all, and each file that is on its way.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useRef } from "react";
import type { Shape } from "../../api/client";
import { bytes, duration, many } from "../../parts/words";
import { useHold } from "./asking";

type Progress = Shape["ProgressOut"];

const PHASES: Record<string, string> = {
  waiting: "Waiting for the machine",
  checking: "Looking at what is there",
  fetching: "Fetching",
  unpacking: "Unpacking and verifying",
  placing: "Placing files",
  paused: "Paused",
  "waiting for errands": "Looking for what you brought",
};

const FEWEST_ROWS = 3;

export function Busy({ id, progress }: { id: string; progress: Progress }) {
  const hold = useHold(id);
  const fetching = progress.phase === "fetching" || progress.phase === "paused";
  const name = PHASES[progress.phase] ?? progress.phase;
  return (
    <Box sx={{ minHeight: 84 }}>
      <Typography variant="body2" noWrap role="status">
        {name} {fetching ? "" : progress.what}
      </Typography>
      <Bar name={name} {...share(progress)} height={6} />
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center", gap: 1, minHeight: 34 }}>
        <Typography variant="caption">{howFar(progress)}</Typography>
        {fetching && (
          <Box sx={{ flexShrink: 0 }}>
            <Button size="small" onClick={() => hold.mutate(progress.phase === "paused" ? "" : "pause")}>
              {progress.phase === "paused" ? "Go on" : "Pause"}
            </Button>
            <Button size="small" color="error" onClick={() => hold.mutate("stop")}>
              Stop
            </Button>
          </Box>
        )}
      </Box>
      {fetching && <UnderWay files={progress.under_way} of={progress.files} />}
    </Box>
  );
}

function UnderWay({ files, of }: { files: Progress["under_way"]; of: number }) {
  // Room once taken is kept: as files come and go, what stands below must not jump.
  const rows = useRef(FEWEST_ROWS);
  rows.current = Math.max(rows.current, files.length);
  return (
    <Box component="ul" aria-label="On their way" sx={{ m: 0, p: 0, minHeight: 28 * Math.min(rows.current, of) }}>
      {files.map((file) => (
        <Box component="li" key={file.name} sx={{ display: "flex", alignItems: "center", gap: 1.5, height: 28 }}>
          <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0 }}>
            {file.name}
          </Typography>
          <Typography variant="caption" sx={{ flexShrink: 0, fontVariantNumeric: "tabular-nums" }}>
            {bytes(file.done)} of {bytes(file.total)}
          </Typography>
          <Box sx={{ width: 80, flexShrink: 0 }}>
            <Bar name={file.name} done={file.done} total={file.total} height={4} />
          </Box>
        </Box>
      ))}
    </Box>
  );
}

function Bar({ name, done, total, height }: { name: string; done: number; total: number; height: number }) {
  return (
    <LinearProgress
      aria-label={name}
      variant={total ? "determinate" : "indeterminate"}
      value={total ? Math.min(100, (100 * done) / total) : 0}
      sx={{ my: 0.5, height }}
    />
  );
}

/** Bytes where there are any, else files. */
function share(progress: Progress): { done: number; total: number } {
  if (progress.total) return { done: progress.done, total: progress.total };
  return { done: progress.files_done, total: progress.files };
}

function howFar(progress: Progress): string {
  const parts = [
    progress.files > 0 ? `${progress.files_done} of ${many(progress.files, "file")}` : "",
    progress.total > 0 ? `${bytes(progress.done)} of ${bytes(progress.total)}` : "",
    progress.phase === "fetching" && progress.rate > 0 ? `${bytes(progress.rate)} a second` : "",
    progress.phase === "paused" ? "" : duration(progress.seconds_left),
  ];
  return parts.filter(Boolean).join(", ");
}
