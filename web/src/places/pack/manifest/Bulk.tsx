// What can be done with the marked lines at once. Stands in the manifest's bar while any line is marked.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Edit } from "../../../api/edits";
import { many } from "../../../parts/words";
import type { Editing } from "../useEditing";
import type { Line } from "./columns";
import { inOrder, toPlace } from "./rows";

interface Props {
  marked: Line[];
  lines: Line[];
  editing: Editing;
  clear: () => void;
}

export function Bulk({ marked, lines: all, editing, clear }: Props) {
  const [asking, setAsking] = useState<"tag" | "place" | null>(null);
  const [text, setText] = useState("");
  const chosen = marked.filter((one) => one.group === "chosen");
  const mods = chosen.map((one) => one.mod);
  const each = (edit: (line: Line) => Edit, lines = chosen) => editing.edit(...lines.map(edit));
  const actions: [string, Line[], () => void][] = [
    [
      "On",
      chosen.filter((one) => !one.on),
      () =>
        each(
          (one) => ({ do: "switch", mod: one.mod, on: true }),
          chosen.filter((one) => !one.on),
        ),
    ],
    [
      "Off",
      chosen.filter((one) => one.on),
      () =>
        each(
          (one) => ({ do: "switch", mod: one.mod, on: false }),
          chosen.filter((one) => one.on),
        ),
    ],
    [
      "Hold",
      marked.filter((one) => one.version && !one.held),
      () =>
        each(
          (one) => ({ do: "hold", mod: one.mod, version: one.version, because: "" }),
          marked.filter((one) => one.version && !one.held),
        ),
    ],
    [
      "Let go",
      marked.filter((one) => one.held),
      () =>
        each(
          (one) => ({ do: "hold", mod: one.mod, version: "", because: "" }),
          marked.filter((one) => one.held),
        ),
    ],
    [
      "Update",
      marked.filter((one) => one.newer),
      () => editing.edit({ do: "update", mods: marked.filter((one) => one.newer).map((one) => one.mod) }),
    ],
    [
      "Optional",
      chosen,
      () => each((one) => ({ do: "describe", mod: one.mod, optional: !chosen.every((each) => each.optional) })),
    ],
    ["Tag", chosen, () => setAsking("tag")],
    ["Place", chosen, () => setAsking("place")],
    ["Remove", chosen, () => each((one) => ({ do: "remove", mod: one.mod }))],
  ];
  return (
    <Box
      role="toolbar"
      aria-label="Marked lines"
      sx={{ display: "flex", alignItems: "center", gap: 0.5, flex: "1 1 480px", flexWrap: "wrap", py: 0.5 }}
    >
      <strong style={{ whiteSpace: "nowrap" }}>{many(marked.length, "line")} marked</strong>
      {asking ? (
        <Box
          component="form"
          sx={{ display: "flex", gap: 1 }}
          onSubmit={(event) => {
            event.preventDefault();
            setAsking(null);
            setText("");
            const moved = asking === "place" && Number(text) > 0 ? toPlace(mods, Number(text), all) : null;
            if (moved) editing.edit(moved);
            if (asking === "tag" && text.trim())
              each((one) => ({ do: "describe", mod: one.mod, tags: [...one.tags, text.trim()].slice(0, 8) }));
          }}
        >
          <TextField
            autoFocus
            label={asking === "tag" ? "Tag" : `Place, 1 to ${inOrder(all).length}`}
            value={text}
            onChange={(event) =>
              setText(asking === "tag" ? event.target.value.slice(0, 30) : event.target.value.replace(/\D/g, ""))
            }
            sx={{ width: 130 }}
          />
          <Button type="submit" size="small" variant="contained">
            {asking === "tag" ? "Tag them" : "Move them there"}
          </Button>
        </Box>
      ) : (
        actions.map(([name, lines, run]) => (
          <Button
            key={name}
            size="small"
            color={name === "Remove" ? "error" : "primary"}
            disabled={!lines.length || editing.pending}
            onClick={run}
            sx={{ minWidth: 0, px: 0.75, whiteSpace: "nowrap" }}
          >
            {name}
          </Button>
        ))
      )}
      <Button size="small" color="inherit" onClick={clear} sx={{ minWidth: 0, ml: "auto" }}>
        Unmark
      </Button>
    </Box>
  );
}
