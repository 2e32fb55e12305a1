// What the pack sets aside: a list of patterns, pasted, dropped or typed, with what each line catches.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import type { Shape } from "../../../api/client";
import { useDraft, usePack, useSetAside, useTriedAside } from "../../../api/queries";
import { Loaded, Remark } from "../../../parts/notices";
import { bytes, many } from "../../../parts/words";
import { mono } from "../../../theme";
import { LastEdit } from "../LastEdit";
import { type Editing, useEditing } from "../useEditing";

const REST = 250;

export default function Aside() {
  const { packId = "" } = useParams();
  const kept = useSetAside(packId);
  const may = usePack(packId).data?.role !== "member";
  const editing = useEditing(packId);
  return (
    <>
      <LastEdit editing={editing} />
      <Loaded query={kept}>
        {(list) => <List key={list.text} packId={packId} kept={list.text} editing={editing} may={may} />}
      </Loaded>
    </>
  );
}

interface Props {
  packId: string;
  kept: string;
  editing: Editing;
  may: boolean;
}

function List({ packId, kept, editing, may }: Props) {
  const [text, setText] = useState(kept);
  const [typed, setTyped] = useState(kept);
  const revision = useDraft(packId).data?.revision ?? 0;
  useEffect(() => {
    const rests = setTimeout(() => setTyped(text), REST);
    return () => clearTimeout(rests);
  }, [text]);
  const tried = useTriedAside(packId, typed, revision);
  const shown = useDeferredValue(tried.data);
  const changed = text !== kept;
  const take = async (file: File | undefined) => file && setText(await file.text());
  return (
    <>
      <Typography variant="body2" sx={{ maxWidth: 720, mb: 1 }}>
        Files of the pack that nobody gets: one pattern a line, below the game's folder. “*” stands for anything but a
        slash, “**” for anything; a line that begins with # is a remark. Shorten the list, and they come back.
      </Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "minmax(0, 1fr) minmax(0, 1.15fr)" }, gap: 2 }}>
        <Box
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            if (may) take(event.dataTransfer.files[0]);
          }}
        >
          <TextField
            label="What is set aside"
            multiline
            rows={18}
            disabled={!may}
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{
              htmlInput: { style: { fontFamily: mono, fontSize: "0.82rem", lineHeight: 1.5 }, wrap: "off" },
            }}
          />
          <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap", alignItems: "center" }}>
            {may && (
              <Button
                variant="contained"
                disabled={!changed || !!tried.data?.refused || editing.pending || typed !== text}
                onClick={() => editing.edit({ do: "set aside", text })}
              >
                Keep this list
              </Button>
            )}
            {changed && <Button onClick={() => setText(kept)}>As it was</Button>}
            <Button
              component="a"
              download="set-aside.txt"
              href={`data:text/plain;charset=utf-8,${encodeURIComponent(text)}`}
            >
              Save as text
            </Button>
            {may && (
              <Button component="label">
                Take a file
                <input
                  type="file"
                  accept=".txt,text/plain"
                  hidden
                  onChange={(event) => take(event.target.files?.[0])}
                />
              </Button>
            )}
          </Box>
        </Box>
        <Box sx={{ minWidth: 0 }}>
          <Box role="status" sx={{ minHeight: 24, fontSize: "0.92rem" }}>
            {shown && (
              <>
                <strong>
                  {many(shown.files, "file")}, {bytes(shown.size)}
                </strong>{" "}
                set aside by {many(shown.lines.length, "line")}
                {idle(shown) > 0 && `; ${idle(shown)} catch nothing`}
              </>
            )}
          </Box>
          {shown?.refused && <Remark tone="error">{shown.refused}</Remark>}
          {shown && <Lines lines={shown.lines} />}
        </Box>
      </Box>
    </>
  );
}

const idle = (list: Shape["AsideOut"]) => list.lines.filter((one) => !one.files && !one.trouble).length;

const ROW = 26;

/** Thousands of lines at once: only those in view are there. */
function Lines({ lines }: { lines: Shape["CaughtOut"][] }) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 20,
  });
  return (
    <Box
      ref={scroll}
      tabIndex={0}
      role="region"
      aria-label="What each line catches"
      sx={{ maxHeight: 420, overflow: "auto", mt: 0.5, borderTop: 1, borderColor: "divider" }}
    >
      <Box sx={{ height: rows.getTotalSize(), position: "relative" }}>
        {rows.getVirtualItems().map(({ index, start }) => {
          const one = lines[index];
          const colour = one.trouble ? "error.main" : one.files ? "text.primary" : "text.secondary";
          return (
            <Box
              key={one.line}
              sx={{
                position: "absolute",
                top: start,
                left: 0,
                right: 0,
                height: ROW,
                display: "flex",
                gap: 1,
                fontSize: "0.82rem",
                alignItems: "center",
                borderBottom: 1,
                borderColor: "divider",
              }}
            >
              <Box sx={{ width: 40, textAlign: "right", color: "text.secondary", flex: "none" }}>{one.line}</Box>
              <Box
                sx={{ fontFamily: mono, flex: 1, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
                title={one.pattern}
              >
                {one.pattern}
              </Box>
              <Box sx={{ flex: "none", maxWidth: 260, color: colour }}>
                {one.trouble || (one.files ? `${many(one.files, "file")}, ${bytes(one.size)}` : "nothing")}
              </Box>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}
