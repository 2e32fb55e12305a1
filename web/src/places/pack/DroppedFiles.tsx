// Files that were dropped: each is recognised by its hash, or looked through and made one of the crew's own builds.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import { useEffect, useRef, useState } from "react";
import { Refused, type Shape } from "../../api/client";
import { dropFile, knownFile } from "../../api/files";
import { RefusalRemark, Remark } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";
import { OwnBuildForm } from "./own/OwnBuildForm";
import type { Editing } from "./useEditing";

type Pack = Shape["PackOut"];

interface Seen {
  file: File;
  doing: string;
  share?: number;
  known?: Shape["KnownOut"] | null;
  dropped?: Shape["DroppedOut"];
  refused?: Refused;
  made?: string;
}

interface Props {
  pack: Pack;
  files: File[];
  editing: Editing;
  close: () => void;
}

export function DroppedFiles({ pack, files, editing, close }: Props) {
  const [seen, setSeen] = useState<Seen[]>(() => files.map((file) => ({ file, doing: "waits" })));
  const begun = useRef(false);
  const stop = useRef(new AbortController());
  const change = (at: number, what: Partial<Seen>) =>
    setSeen((before) => before.map((one, place) => (place === at ? { ...one, ...what } : one)));
  // biome-ignore lint/correctness/useExhaustiveDependencies: the files are looked at once, when the dialog opens
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    lookAtAll(pack.id, files, change, stop.current.signal);
  }, []);
  const put = () => {
    stop.current.abort();
    close();
  };
  const known = seen.flatMap((one) => (one.known && !one.known.already && !one.made ? [one.known.mod] : []));
  const busy = seen.some((one) => one.doing);
  return (
    <Dialog open onClose={put} maxWidth="md" fullWidth aria-labelledby="dropped-title">
      <DialogTitle id="dropped-title">{files.length === 1 ? "A file for the pack" : "Files for the pack"}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5, pb: 1 }}>
        {seen.map((one, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a file's place is its identity here
          <Box key={at} sx={{ borderTop: at ? 1 : 0, borderColor: "divider", pt: at ? 1.5 : 0 }}>
            <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline" }}>
              <strong style={{ overflowWrap: "anywhere" }}>{one.file.name}</strong>
              <Box component="span" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
                {bytes(one.file.size)}
              </Box>
            </Box>
            <Box sx={{ minHeight: 24 }} aria-live="polite">
              {one.doing && <Box sx={{ color: "text.secondary" }}>{one.doing}</Box>}
              {one.share !== undefined && (
                <LinearProgress variant="determinate" value={one.share * 100} aria-label="Sent" />
              )}
              <RefusalRemark error={one.refused ?? null} />
              {one.known && <KnownFile known={one.known} />}
              {one.made && (
                <Remark tone="primary">
                  <strong>{one.made}</strong> is one of {pack.crew}'s own builds now.
                </Remark>
              )}
            </Box>
            {one.dropped && !one.made && (
              <LookedThrough
                pack={pack}
                dropped={one.dropped}
                made={(mod, name, isNew) => {
                  change(at, { made: name });
                  if (isNew) editing.edit({ do: "add", mod });
                }}
              />
            )}
          </Box>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={put}>{busy ? "Stop" : "Done"}</Button>
        {known.length > 0 && (
          <Button
            variant="contained"
            disabled={busy}
            onClick={() => {
              editing.edit({ do: "add many", mods: [...new Set(known)] });
              put();
            }}
          >
            Add {many(new Set(known).size, "mod")}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

async function lookAtAll(
  packId: string,
  files: File[],
  change: (at: number, what: Partial<Seen>) => void,
  stop: AbortSignal,
): Promise<void> {
  for (const [at, file] of files.entries()) {
    if (stop.aborted) return;
    try {
      change(at, { doing: "Looking whether a source has it" });
      const known = await knownFile(packId, file);
      if (known) {
        change(at, { doing: "", known });
        continue;
      }
      change(at, { doing: "No source has it. Sending it, to look what it holds", share: 0 });
      const dropped = await dropFile(packId, file, (share) => change(at, { share }), stop);
      const found = dropped.known ? { known: dropped.known } : { dropped };
      change(at, { doing: "", share: undefined, ...found });
    } catch (error) {
      const told = error instanceof Refused ? error : undefined;
      change(at, { doing: told ? "" : "Stopped", share: undefined, refused: told });
    }
  }
}

function KnownFile({ known }: { known: Shape["KnownOut"] }) {
  return (
    <Remark tone={known.already ? "info" : "primary"}>
      It is <strong>{known.name}</strong> <span style={{ fontFamily: mono }}>{known.version}</span>
      {known.already ? ", which is in the draft already." : ". It comes from its source, like every other mod."}
    </Remark>
  );
}

function LookedThrough(props: {
  pack: Pack;
  dropped: Shape["DroppedOut"];
  made: (mod: string, name: string, isNew: boolean) => void;
}) {
  const { dropped } = props;
  if (dropped.trouble) return <Remark tone="error">{dropped.trouble}</Remark>;
  if (dropped.refused.length > 0) {
    return (
      <Remark tone="error">
        <strong>This archive is refused, and nothing of it was kept.</strong>
        <ul style={{ margin: "4px 0 0", paddingLeft: 18 }}>
          {dropped.refused.map((one) => (
            <li key={one.path + one.why}>
              {one.path && <span style={{ fontFamily: mono }}>{one.path}</span>} {one.why}
            </li>
          ))}
        </ul>
      </Remark>
    );
  }
  if (!dropped.kinds.some((one) => one.fits)) {
    return (
      <Remark tone="warning">
        The game would not load it. {[...new Set(dropped.kinds.flatMap((one) => one.notes))].join(" ")}
      </Remark>
    );
  }
  return (
    <>
      {dropped.like && (
        <Remark tone="warning">
          It calls itself <strong>{dropped.like}</strong>, but no source has exactly these bytes: it was changed, or is
          older than what they list. As an own build it stands in for {dropped.like}.
        </Remark>
      )}
      <OwnBuildForm {...props} />
    </>
  );
}
