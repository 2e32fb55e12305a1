// Which of a build's files the pack lays down: its named parts with their sizes, and folders of its tree.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { useParts } from "../../api/queries";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";
import type { Editing } from "./useEditing";

type Parts = Shape["PartsOut"];

export function PartsBox({
  packId,
  mod,
  editing,
  may,
}: {
  packId: string;
  mod: string;
  editing: Editing;
  may: boolean;
}) {
  const [tree, setTree] = useState(false);
  const parts = useParts(packId, mod).data;
  if (!parts) return <Box sx={{ minHeight: 60 }} />;
  const rule = { named: Object.fromEntries(parts.parts.map((one) => [one.id, one.laid])) };
  const set = (change: Partial<Pick<Parts, "only" | "leave_out">> & { named?: Record<string, boolean> }) =>
    editing.edit({
      do: "parts",
      mod,
      named: differing(parts, change.named ?? rule.named),
      only: change.only ?? parts.only,
      leave_out: change.leave_out ?? parts.leave_out,
    });
  const isWhole = !parts.only.length && !parts.leave_out.length && parts.parts.every((one) => one.laid === one.default);
  return (
    <Box component="section" aria-label="What is laid down">
      <Typography variant="h3" sx={{ mt: 2, mb: 0.5 }}>
        What is laid down
      </Typography>
      <Box sx={{ fontSize: "0.88rem" }}>
        {parts.laid === parts.in_all ? (
          <>
            All {many(parts.in_all, "file")}, {bytes(parts.size)}
          </>
        ) : (
          <>
            {parts.laid} of {many(parts.in_all, "file")}, {bytes(parts.laid_size)} of {bytes(parts.size)}
          </>
        )}
      </Box>
      {parts.parts.map((one) => (
        <Box
          key={one.id}
          sx={{ display: "flex", alignItems: "baseline", gap: 1, fontSize: "0.88rem", flexWrap: "wrap" }}
        >
          <FormControlLabel
            sx={{ mr: 0 }}
            control={
              <Checkbox
                size="small"
                sx={{ py: 0.25 }}
                checked={one.laid}
                disabled={!may || editing.pending}
                onChange={(_, on) => set({ named: { ...rule.named, [one.id]: on } })}
              />
            }
            label={one.name}
          />
          <Box component="span" sx={{ color: "text.secondary" }}>
            {many(one.files, "file")}, {bytes(one.size)}
            {asks(one)}
            {one.by_crew && ", named by the crew"}
          </Box>
        </Box>
      ))}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button size="small" sx={{ px: 0 }} aria-expanded={tree} onClick={() => setTree(!tree)}>
          {tree ? "Close its files" : "Choose among its files"}
        </Button>
        {may && !isWhole && (
          <Button size="small" onClick={() => editing.edit({ do: "parts", mod })}>
            Lay it down as it comes
          </Button>
        )}
      </Box>
      {tree && <Tree parts={parts} may={may && !editing.pending} leaveOut={(leave_out) => set({ leave_out })} />}
    </Box>
  );
}

/** Only what differs from what the build does by itself. */
const differing = (parts: Parts, named: Record<string, boolean>) =>
  Object.fromEntries(parts.parts.flatMap((one) => (named[one.id] === one.default ? [] : [[one.id, named[one.id]]])));

function asks(part: Shape["BuildPartOut"]): string {
  const needs = Object.entries(part.needs).map(([mod, range]) => `, needs ${mod} ${range}`);
  const breaks = Object.entries(part.breaks).map(([mod, range]) => `, not with ${mod} ${range}`);
  return [...needs, ...breaks].join("");
}

interface Folder {
  path: string;
  files: number;
  size: number;
  laid: number;
}

/** Folders of the build, each with what lies below it; leaving one out leaves out all of it. */
function Tree({ parts, may, leaveOut }: { parts: Parts; may: boolean; leaveOut: (patterns: string[]) => void }) {
  const folders = foldersOf(parts);
  if (!folders.length) return <Box sx={{ fontSize: "0.88rem" }}>It has no folders: its files lie at its top.</Box>;
  const out = new Set(parts.leave_out);
  const toggle = (path: string, on: boolean) => {
    const rest = parts.leave_out.filter((one) => one !== `${path}/**` && !one.startsWith(`${path}/`));
    leaveOut(on ? rest : [...rest, `${path}/**`]);
  };
  return (
    <Box
      sx={{ maxHeight: 260, overflowY: "auto", fontSize: "0.86rem" }}
      tabIndex={0}
      role="region"
      aria-label="Folders"
    >
      {folders.map((one) => (
        <Box key={one.path} sx={{ display: "flex", alignItems: "center", pl: (one.path.split("/").length - 1) * 2 }}>
          <Checkbox
            size="small"
            sx={{ py: 0.1 }}
            checked={one.laid > 0}
            indeterminate={one.laid > 0 && one.laid < one.files}
            disabled={!may || (!one.laid && !out.has(`${one.path}/**`))}
            onChange={(_, on) => toggle(one.path, on)}
            slotProps={{ input: { "aria-label": `Lay ${one.path} down` } }}
          />
          <Box sx={{ fontFamily: mono, flex: 1, minWidth: 0, overflow: "hidden", textOverflow: "ellipsis" }}>
            {one.path.split("/").at(-1)}/
          </Box>
          <Box sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
            {one.files}, {bytes(one.size)}
          </Box>
        </Box>
      ))}
      {parts.more > 0 && <Box>And {many(parts.more, "more file")}.</Box>}
    </Box>
  );
}

function foldersOf(parts: Parts): Folder[] {
  const found = new Map<string, Folder>();
  for (const file of parts.files) {
    const names = file.path.split("/").slice(0, -1);
    for (let depth = 1; depth <= names.length; depth++) {
      const path = names.slice(0, depth).join("/");
      const folder = found.get(path) ?? { path, files: 0, size: 0, laid: 0 };
      folder.files++;
      folder.size += file.size;
      folder.laid += file.laid ? 1 : 0;
      found.set(path, folder);
    }
  }
  return [...found.values()].sort((one, other) => one.path.localeCompare(other.path));
}
