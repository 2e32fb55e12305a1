// What the game said: entries, not lines. Narrowed by how bad, by mod, by words, by what the last good run had not;
// chosen entries are copied as text.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import type { Shape } from "../../../api/client";
import { type LogSource, type LogWanted, useLog } from "../../../api/queries";
import { Empty, RefusalRemark } from "../../../parts/notices";
import { type Option, Pick } from "../../../parts/Pick";
import { many } from "../../../parts/words";
import { mono } from "../../../theme";
import { LoudnessMark } from "./said";

type Entry = Shape["EntryOut"];
type Severity = Shape["EntrySeverity"];

const LEVELS: Option<Severity>[] = [
  { value: "debug", name: "Everything" },
  { value: "information", name: "Information and worse" },
  { value: "warning", name: "Warnings and worse" },
  { value: "error", name: "Errors alone" },
];

interface Props {
  title: string;
  source: LogSource;
  /** What is read of it at first. */
  severity: Severity;
  /** Whether some of it is marked as new since the last good run. */
  marked: boolean;
  /** Entries that were counted and not kept. */
  leftOut?: number;
  names: Record<string, string>;
}

const AROUND = 3;

export function Log({ title, source, severity, marked, leftOut = 0, names }: Props) {
  const [wanted, setWanted] = useState<LogWanted>({ severity });
  const [text, setText] = useState("");
  const words = useDeferredValue(text);
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const log = useLog(source, { ...wanted, text: words });
  const first = log.data?.pages[0];
  const entries = log.data?.pages.flatMap((page) => page.entries) ?? [];
  const picked = entries.filter((entry) => chosen.has(entry.number));
  const toggle = (number: number) => {
    const next = new Set(chosen);
    if (!next.delete(number)) next.add(number);
    setChosen(next);
  };
  return (
    <Box component="section" aria-label={title} sx={{ minWidth: 0 }}>
      <Typography variant="h3" component="h2" sx={{ mb: 1 }}>
        {title}
      </Typography>
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", mb: 1 }}>
        <TextField
          label="Search the log"
          value={text}
          onChange={(event) => setText(event.target.value)}
          sx={{ width: { xs: "100%", sm: 260 } }}
        />
        <Pick
          label="How bad"
          value={wanted.severity ?? "debug"}
          options={LEVELS}
          sx={{ width: 210 }}
          onChange={(severity) => setWanted({ ...wanted, severity })}
        />
        <Pick
          label="Whose"
          value={wanted.mod ?? ""}
          options={[
            { value: "", name: "Anybody’s" },
            ...(first?.mods ?? []).map((mod) => ({ value: mod, name: names[mod] ?? mod })),
          ]}
          sx={{ width: 200 }}
          onChange={(mod) => setWanted({ ...wanted, mod })}
        />
        {marked && (
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={wanted.fresh ?? false}
                onChange={(event) => setWanted({ ...wanted, fresh: event.target.checked })}
              />
            }
            label="New since the last good run"
          />
        )}
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={Boolean(wanted.around)}
              onChange={(event) => setWanted({ ...wanted, around: event.target.checked ? AROUND : 0 })}
            />
          }
          label="With what stands around it"
        />
        <Box role="status" sx={{ ml: "auto", fontSize: "0.85rem", color: "text.secondary", minHeight: 20 }}>
          {first && `${first.found} of ${many(first.whole, "entry", "entries")}`}
          {leftOut > 0 && ` · ${leftOut} more were only counted`}
        </Box>
        {picked.length > 0 && (
          <Button size="small" onClick={() => navigator.clipboard.writeText(picked.map(asText).join("\n"))}>
            Copy {many(picked.length, "entry", "entries")}
          </Button>
        )}
      </Box>
      <RefusalRemark error={log.error} />
      {first && !first.found && (
        <Empty title="Nothing of that kind was said">Choose another, or clear the search.</Empty>
      )}
      <Rows
        key={JSON.stringify([wanted, words])}
        entries={entries}
        names={names}
        chosen={chosen}
        toggle={toggle}
        firstBad={first?.first_bad ?? -1}
        more={log.hasNextPage && !log.isFetchingNextPage ? () => log.fetchNextPage() : undefined}
      />
    </Box>
  );
}

const asText = (entry: Entry) =>
  [`${entry.at} ${entry.severity} (${entry.origin}) ${entry.text}`.trim(), ...entry.lines].join("\n");

interface RowsProps {
  entries: Entry[];
  names: Record<string, string>;
  chosen: Set<number>;
  toggle: (number: number) => void;
  firstBad: number;
  more: (() => void) | undefined;
}

function Rows({ entries, names, chosen, toggle, firstBad, more }: RowsProps) {
  const pane = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: entries.length,
    getScrollElement: () => pane.current,
    estimateSize: () => 30,
    overscan: 12,
  });
  const shown = rows.getVirtualItems();
  const last = shown.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more && last >= entries.length - 20) more();
  }, [more, last, entries.length]);
  if (!entries.length) return null;
  return (
    <>
      {firstBad >= 0 && firstBad < entries.length && entries.length > 12 && (
        <Button size="small" sx={{ px: 0 }} onClick={() => rows.scrollToIndex(firstBad, { align: "start" })}>
          To the first error
        </Button>
      )}
      <Box
        ref={pane}
        // What scrolls can be reached by keys.
        tabIndex={0}
        role="group"
        aria-label="Entries of the log"
        sx={{
          height: Math.min(460, Math.max(120, entries.length * 34)),
          overflow: "auto",
          border: 1,
          borderColor: "divider",
          bgcolor: "background.paper",
        }}
      >
        <Box sx={{ height: rows.getTotalSize(), position: "relative" }}>
          {shown.map((item) => (
            <Box
              key={item.key}
              ref={rows.measureElement}
              data-index={item.index}
              sx={{ position: "absolute", top: 0, left: 0, right: 0, transform: `translateY(${item.start}px)` }}
            >
              <One entry={entries[item.index]} names={names} chosen={chosen} toggle={toggle} />
            </Box>
          ))}
        </Box>
      </Box>
    </>
  );
}

function One({ entry, names, chosen, toggle }: Omit<RowsProps, "entries" | "firstBad" | "more"> & { entry: Entry }) {
  const [open, setOpen] = useState(entry.lines.length > 0 && entry.lines.length <= 3);
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: { xs: "28px 1fr", sm: "28px 104px 1fr" },
        columnGap: 1,
        px: 0.5,
        py: 0.25,
        borderBottom: 1,
        borderColor: "divider",
        fontSize: "0.85rem",
        bgcolor: chosen.has(entry.number) ? "action.selected" : entry.beside ? "background.default" : undefined,
      }}
    >
      <Checkbox
        size="small"
        sx={{ p: 0.25, alignSelf: "start" }}
        checked={chosen.has(entry.number)}
        onChange={() => toggle(entry.number)}
        slotProps={{ input: { "aria-label": `Choose line ${entry.from_line}` } }}
      />
      <Box sx={{ gridColumn: { xs: 2, sm: "auto" } }}>
        <LoudnessMark severity={entry.severity} />
      </Box>
      <Box sx={{ minWidth: 0, gridColumn: { xs: 2, sm: "auto" } }}>
        <Box sx={{ fontFamily: mono, fontSize: "0.8rem", overflowWrap: "anywhere" }}>{entry.text}</Box>
        {open && entry.lines.length > 0 && (
          <Box sx={{ fontFamily: mono, fontSize: "0.75rem", color: "text.secondary", whiteSpace: "pre-wrap" }}>
            {entry.lines.join("\n")}
          </Box>
        )}
        <Box sx={{ color: "text.secondary", fontSize: "0.78rem" }}>
          {entry.at && `${entry.at} · `}
          {entry.mod ? (names[entry.mod] ?? entry.mod) : entry.origin || "the game"} · line {entry.from_line}
          {entry.count > 1 && ` · ${entry.count} times`}
          {entry.new && " · new"}
          {entry.lines.length > 3 && (
            <Button size="small" sx={{ py: 0, minHeight: 24 }} aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? "Fewer lines" : `${entry.lines.length} more lines`}
            </Button>
          )}
        </Box>
      </Box>
    </Box>
  );
}
