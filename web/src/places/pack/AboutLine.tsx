// What its curators say of a chosen line: optional with advice, tags, a note, its place in the order.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { inOrder, toPlace } from "./manifest/rows";
import type { Editing } from "./useEditing";

interface Props {
  line: Shape["LineOut"];
  lines: Shape["LineOut"][];
  editing: Editing;
}

export function About({ line, lines, editing }: Props) {
  const [tags, setTags] = useState(line.tags.join(", "));
  const [note, setNote] = useState(line.note);
  const [advice, setAdvice] = useState(line.advice);
  const [place, setPlace] = useState("");
  const back = () => {
    setTags(line.tags.join(", "));
    setNote(line.note);
    setAdvice(line.advice);
  };
  const say = (what: { note?: string; advice?: string; tags?: string[]; optional?: boolean }) =>
    editing.editThen({ not: back }, { do: "describe", mod: line.mod, ...what });
  const order = inOrder(lines);
  const wanted = tags
    .split(",")
    .map((one) => one.trim().slice(0, 30))
    .filter(Boolean)
    .slice(0, 8);
  return (
    <Box sx={{ display: "grid", gap: 1, mt: 1.5 }}>
      <FormControlLabel
        control={<Switch size="small" checked={line.optional} onChange={(_, optional) => say({ optional })} />}
        label="Optional: members choose"
        slotProps={{ typography: { variant: "body2" } }}
      />
      {line.optional && (
        <TextField
          label="Advice to members"
          value={advice}
          onChange={(event) => setAdvice(event.target.value.slice(0, 200))}
          onBlur={() => advice !== line.advice && say({ advice })}
        />
      )}
      <TextField
        label="Tags, with commas"
        value={tags}
        onChange={(event) => setTags(event.target.value)}
        onBlur={() => wanted.join() !== line.tags.join() && say({ tags: wanted })}
      />
      <TextField
        label="Note"
        multiline
        maxRows={4}
        value={note}
        onChange={(event) => setNote(event.target.value.slice(0, 500))}
        onBlur={() => note !== line.note && say({ note })}
      />
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, alignItems: "center" }}
        onSubmit={(event) => {
          event.preventDefault();
          const moved = Number(place) > 0 && toPlace([line.mod], Number(place), lines);
          setPlace("");
          if (moved) editing.edit(moved);
        }}
      >
        <TextField
          label={`Place in the order: ${order.findIndex((one) => one.mod === line.mod) + 1} of ${order.length}`}
          value={place}
          onChange={(event) => setPlace(event.target.value.replace(/\D/g, "").slice(0, 4))}
        />
        <Button type="submit" size="small" disabled={!place || editing.pending} sx={{ flex: "none" }}>
          Move there
        </Button>
      </Box>
    </Box>
  );
}
