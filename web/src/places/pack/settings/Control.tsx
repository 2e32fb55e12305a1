// The field of one setting, as its kind wants it. What is wrong is said while it is typed, and is not sent.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import InputAdornment from "@mui/material/InputAdornment";
import Popover from "@mui/material/Popover";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Tooltip from "@mui/material/Tooltip";
import { useEffect, useState } from "react";
import type { Plain, Setting } from "../../../api/settings";
import { mono } from "../../../theme";
import { isOn, keyName, linesOf, listOf, now, shown, turned, typed, wrong } from "./values";

interface Props {
  one: Setting;
  may: boolean;
  /** `text`: as it was typed; else a value. */
  set: (to: { value: Plain } | { text: string }) => void;
}

export function Control({ one, may, set }: Props) {
  const value = now(one);
  const label = one.key.join(".");
  if (one.kind === "switch")
    return (
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Switch
          size="small"
          checked={isOn(value)}
          disabled={!may}
          onChange={() => set({ value: turned(value) })}
          slotProps={{ input: { "aria-label": label } }}
        />
        <Box component="span" sx={{ fontSize: "0.85rem" }}>
          {isOn(value) ? "on" : "off"}
        </Box>
      </Box>
    );
  if (one.kind === "choice")
    return (
      <TextField
        select
        value={typed(value)}
        disabled={!may}
        onChange={(event) => {
          const chosen = one.allowed.find((each) => typed(each as Plain) === event.target.value);
          set({ value: (chosen ?? event.target.value) as Plain });
        }}
        slotProps={{ select: { native: true }, htmlInput: { "aria-label": label, style: { padding: "3px 6px" } } }}
      >
        {!one.allowed.some((each) => typed(each as Plain) === typed(value)) && <option>{typed(value)}</option>}
        {one.allowed.map((each) => (
          <option key={typed(each as Plain)}>{typed(each as Plain)}</option>
        ))}
      </TextField>
    );
  if (one.kind === "list" && linesOf(value) !== null)
    return <Lines key={typed(value)} one={one} may={may} set={set} lines={linesOf(value) ?? ""} />;
  return <Typed key={typed(value)} one={one} may={may} set={set} />;
}

/** A list, an entry a line: in the row what it holds, and opened a place to write in. */
function Lines({ one, may, set, lines }: Props & { lines: string }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const [text, setText] = useState(lines);
  const list = listOf(text, now(one));
  const close = () => {
    setAt(null);
    if (list && text !== lines) set({ value: list });
    else setText(lines);
  };
  const label = one.key.join(".");
  return (
    <>
      <Button
        size="small"
        variant="outlined"
        aria-label={`Entries of ${label}: ${shown(now(one)) || "none"}`}
        disabled={!may}
        onClick={(event) => setAt(event.currentTarget)}
        sx={{ display: "block", width: "100%", textAlign: "left", fontWeight: 400, px: 0.75, py: 0.25 }}
      >
        <Box
          component="span"
          sx={{ display: "block", overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
        >
          {shown(now(one)) || "none"}
        </Box>
      </Button>
      <Popover
        open={at !== null}
        anchorEl={at}
        onClose={close}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Box sx={{ p: 1.5, width: 320, maxWidth: "90vw", display: "grid", gap: 1 }}>
          <TextField
            autoFocus
            multiline
            minRows={4}
            maxRows={12}
            label={`${label}, an entry a line`}
            value={text}
            error={!list}
            helperText={list ? `${list.length} ${list.length === 1 ? "entry" : "entries"}` : "A number on each line."}
            onChange={(event) => setText(event.target.value)}
          />
          <Button variant="outlined" size="small" disabled={!list} onClick={close}>
            Set it so
          </Button>
        </Box>
      </Popover>
    </>
  );
}

/** Takes the next key that is pressed, written as the file writes its keys: in small letters or large ones. */
function PressKey({ label, like, pressed }: { label: string; like: string; pressed: (key: string) => void }) {
  const [waits, setWaits] = useState(false);
  return (
    <Button
      size="small"
      aria-label={waits ? `Press a key for ${label}, Escape for none` : `Press a key for ${label}`}
      sx={{ py: 0, minWidth: 0, whiteSpace: "nowrap", fontSize: "0.78rem" }}
      onClick={() => setWaits(true)}
      onBlur={() => setWaits(false)}
      onKeyDown={(event) => {
        if (!waits || ["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
        event.preventDefault();
        event.stopPropagation();
        setWaits(false);
        if (event.key !== "Escape" && event.key !== "Tab") pressed(keyName(event.key, like));
      }}
    >
      {waits ? "Press a key…" : "Press a key"}
    </Button>
  );
}

function Typed({ one, may, set }: Props) {
  const kept = typed(now(one));
  const [text, setText] = useState(kept);
  useEffect(() => setText(kept), [kept]);
  const fault = text === kept ? "" : wrong(one, text);
  const commit = () => {
    if (text === kept) return;
    if (fault) return setText(kept);
    set(one.kind === "text" || one.kind === "colour" || one.kind === "key binding" ? { value: text } : { text });
  };
  return (
    <Tooltip open={!!fault} title={fault} placement="top">
      <TextField
        value={text}
        disabled={!may}
        error={!!fault}
        onChange={(event) => setText(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setText(kept);
          event.stopPropagation();
        }}
        slotProps={{
          htmlInput: {
            "aria-label": one.key.join("."),
            "aria-invalid": !!fault,
            inputMode: one.kind === "number" || one.kind === "whole number" ? "decimal" : undefined,
            style: { padding: "3px 6px", fontFamily: mono, fontSize: "0.82rem" },
          },
          input: {
            endAdornment:
              one.kind === "key binding" && may ? (
                <PressKey label={one.key.join(".")} like={kept} pressed={(key) => set({ value: key })} />
              ) : one.unit ? (
                <InputAdornment position="end" sx={{ "& p": { fontSize: "0.78rem" } }}>
                  {one.unit}
                </InputAdornment>
              ) : undefined,
            startAdornment:
              one.kind === "colour" ? (
                <Box
                  component="input"
                  type="color"
                  aria-label={`Colour of ${one.key.join(".")}`}
                  disabled={!may}
                  value={/^#[0-9a-f]{6}$/i.test(text) ? text : "#000000"}
                  onChange={(event: React.ChangeEvent<HTMLInputElement>) => setText(event.target.value)}
                  onBlur={commit}
                  sx={{ width: 28, height: 24, flexShrink: 0, p: 0, border: 0, bgcolor: "transparent" }}
                />
              ) : undefined,
          },
        }}
      />
    </Tooltip>
  );
}
