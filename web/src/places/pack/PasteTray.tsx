// The paste tray: links or names, one or hundreds. Each line is recognised, to be chosen, there already, or refused with
// the reason; then all come in at once. It stays open while one browses, and takes more at any time.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Shape } from "../../api/client";
import type { Edit } from "../../api/edits";
import { recognise, useChange } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { many } from "../../parts/words";
import { mono } from "../../theme";
import type { Editing } from "./useEditing";

type Line = Shape["RecognisedOut"];

const MARKS: Record<Line["state"], { shape: string; colour: string; word: string }> = {
  recognised: { shape: "●", colour: "primary.main", word: "comes in" },
  ambiguous: { shape: "◐", colour: "warning.main", word: "choose" },
  "already there": { shape: "○", colour: "text.secondary", word: "already there" },
  refused: { shape: "▬", colour: "error.main", word: "refused" },
};
const LARGEST_FILE = 1_000_000;

export function PasteTray({ packId, editing, close }: { packId: string; editing: Editing; close: () => void }) {
  const [text, setText] = useState("");
  const [choices, setChoices] = useState<Record<number, string>>({});
  const [tooLarge, setTooLarge] = useState(false);
  const read = useChange((given: string) => recognise(packId, given));
  const [asListed, setAsListed] = useState(false);
  const look = (given: string) => {
    setText(given);
    setChoices({});
    if (given.trim()) read.mutate(given.slice(0, LARGEST_FILE));
    else read.reset();
  };
  const takeFile = async (file: File | undefined) => {
    setTooLarge(!!file && file.size > LARGEST_FILE);
    if (file && file.size <= LARGEST_FILE) look(await file.text());
  };
  const lines = (read.data?.lines ?? []).map((one, at) => ({ at, ...one }));
  const choiceOf = (one: Line & { at: number }) => choices[one.at] ?? one.likeliest;
  const coming = new Map(
    lines.flatMap((one) => {
      if (one.state === "recognised") return [[one.mod, one] as const];
      const chosen = one.state === "ambiguous" ? choiceOf(one) : "";
      return chosen ? [[chosen, one] as const] : [];
    }),
  );
  const mods = [...coming.keys()];
  const listed = lines.filter((one) => one.can_take && one.listed !== one.version);
  const add = () => {
    const builds = asListed ? listed.map((one) => ({ mod: one.mod, version: one.listed })) : [];
    const taken = new Set(builds.map((one) => one.mod));
    const rest = mods.filter((mod) => !taken.has(mod));
    const versions = Object.fromEntries(rest.flatMap((mod) => [[mod, coming.get(mod)?.version ?? ""]]));
    const edits: Edit[] = [];
    if (rest.length) edits.push({ do: "add many", mods: rest, versions });
    if (builds.length) edits.push({ do: "take over", builds, out_of: "list" });
    // What came in leaves the tray; what was refused, or is declined, stays to be mended.
    const left = lines.filter((one) => one.state === "refused" || (one.state === "ambiguous" && !choiceOf(one)));
    editing.editThen({ kept: () => look(left.map((one) => one.text).join("\n")) }, ...edits);
  };
  return (
    <Box
      component="section"
      aria-label="Paste tray"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        const dropped = event.dataTransfer.getData("text/plain");
        if (dropped) look(text ? `${text}\n${dropped}` : dropped);
        else takeFile(event.dataTransfer.files[0]);
      }}
      sx={{ display: "flex", flexDirection: "column", height: "100%", p: 1.5, gap: 1, minHeight: 0 }}
    >
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "center" }}>
        <Typography variant="h2">Paste tray</Typography>
        <Button size="small" color="inherit" onClick={close} aria-label="Put away the paste tray" sx={{ minWidth: 28 }}>
          ✕
        </Button>
      </Box>
      <TextField
        multiline
        minRows={3}
        maxRows={7}
        autoFocus
        label="Links or names, one a line"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onPaste={(event) => {
          if (text.trim()) return;
          event.preventDefault();
          look(event.clipboardData.getData("text/plain"));
        }}
        slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: "0.8rem" } } }}
      />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
        <Button size="small" variant="outlined" disabled={!text.trim() || read.isPending} onClick={() => look(text)}>
          {read.isPending ? "Looking" : "Look them up"}
        </Button>
        <Button size="small" component="label">
          From a text file
          <input
            type="file"
            accept=".txt,.md,.csv,text/plain"
            hidden
            onChange={(event) => takeFile(event.target.files?.[0])}
          />
        </Button>
      </Box>
      <RefusalRemark error={read.error} />
      {tooLarge && <Box sx={{ color: "error.main" }}>That file is larger than 1 MB. Is it a list of mods?</Box>}
      <Box
        role="region"
        aria-label="Lines as they were read"
        tabIndex={0}
        aria-live="polite"
        sx={{ flex: 1, minHeight: 80, overflow: "auto", fontSize: "0.85rem" }}
      >
        {lines.map(({ at, ...one }) => (
          <PastedLine
            key={at}
            line={one}
            choice={choices[at] ?? one.likeliest}
            choose={(mod) => setChoices({ ...choices, [at]: mod })}
          />
        ))}
        {!!read.data?.left_out && (
          <p>{many(read.data.left_out, "more line")} were left out: a pack has room for 2,000.</p>
        )}
        {!lines.length && !read.data && (
          <p>Copy a list from anywhere: a chat, a page, a file. Nothing comes in before you say so.</p>
        )}
      </Box>
      {lines.length > 0 && (
        <Box sx={{ borderTop: 1, borderColor: "divider", pt: 1 }}>
          <Box sx={{ fontSize: "0.85rem", mb: 1 }}>
            {tally(lines, mods.length, lines.filter((one) => one.state === "ambiguous" && choiceOf(one)).length)}
          </Box>
          {listed.length > 0 && (
            <FormControlLabel
              control={<Checkbox size="small" checked={asListed} onChange={(_, on) => setAsListed(on)} />}
              label={`Take the versions that the list names (${listed.length})`}
              slotProps={{ typography: { variant: "body2" } }}
            />
          )}
          <Button variant="contained" disabled={!mods.length || editing.pending} onClick={add}>
            Add {mods.length ? `these ${mods.length}` : "nothing"}
          </Button>
        </Box>
      )}
    </Box>
  );
}

function tally(lines: Line[], coming: number, likely: number): string {
  const count = (state: Line["state"]) => lines.filter((one) => one.state === state).length;
  const parts = [`${coming} to come in`];
  if (likely) parts.push(`${likely} of them likely: look again`);
  if (count("ambiguous") > likely) parts.push(`${count("ambiguous") - likely} to choose`);
  if (count("already there")) parts.push(`${count("already there")} there already`);
  if (count("refused")) parts.push(`${count("refused")} refused`);
  return parts.join(", ");
}

function PastedLine({ line, choice, choose }: { line: Line; choice: string; choose: (mod: string) => void }) {
  const mark = line.state === "ambiguous" && choice ? { ...MARKS.ambiguous, word: "likely" } : MARKS[line.state];
  return (
    <Box sx={{ py: 0.5, borderTop: 1, borderColor: "divider" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Box component="span" aria-hidden sx={{ color: mark.colour }}>
          {mark.shape}
        </Box>
        <strong style={{ overflowWrap: "anywhere" }}>{line.name || line.text}</strong>
        <Box component="span" sx={{ fontFamily: mono, fontSize: "0.78rem" }}>
          {line.version}
        </Box>
        <Box component="span" sx={{ ml: "auto", color: mark.colour, whiteSpace: "nowrap" }}>
          {mark.word}
        </Box>
      </Box>
      {line.reason && <Box sx={{ color: "text.secondary" }}>{line.reason}</Box>}
      {line.listed && line.listed !== line.version && (
        <Box sx={{ color: "text.secondary" }}>
          The list says {line.listed}; {line.version} is what would come
          {line.can_take ? "" : `, as ${line.listed} does not fit or is gone`}.
        </Box>
      )}
      {line.options.length > 0 && (
        <Box sx={{ mt: 0.75 }}>
          <Pick
            label={line.text.slice(0, 60)}
            value={choice}
            options={[
              { value: "", name: "none of them" },
              ...line.options.map((one) => ({ value: one.mod, name: `${one.name}, by ${one.author}` })),
            ]}
            onChange={choose}
          />
        </Box>
      )}
    </Box>
  );
}
