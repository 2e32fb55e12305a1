// What a release has beside its files: the settings that it sets, which have a place of their own, and steps by hand.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import type { Shape } from "../../api/client";
import { type Edit, sendEdits } from "../../api/edits";
import { useChange, useDraft } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { optionsOf, Pick } from "../../parts/Pick";
import { many } from "../../parts/words";

type Draft = Shape["DraftOut"];
type Send = (edit: Edit, done: () => void) => void;

const CHECKS = { none: "nobody can check it", exists: "this file is there", changed: "this file has changed" };

export function Terms({ packId, may }: { packId: string; may: boolean }) {
  const draft = useDraft(packId).data;
  const save = useChange((edit: Edit) => sendEdits(packId, draft?.revision ?? 0, [edit], "keep"), ["pack", packId]);
  if (!draft || (!may && !draft.tweaks.length && !draft.steps.length)) return null;
  const enforced = draft.enforced;
  const send: Send = (edit, done) => save.mutate(edit, { onSuccess: done });
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2, mt: 3 }} aria-label="Settings and steps">
      <Typography variant="h2">Settings and steps</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 1 }}>
        They travel with the next release. The pack sets{" "}
        <Link to={`/packs/${packId}/settings?only=${encodeURIComponent("set by the pack")}`}>
          {many(draft.holding, "setting")}
        </Link>
        {enforced > 0 && `, of which ${enforced} ${enforced === 1 ? "is" : "are"} enforced`}.
      </Typography>
      {draft.steps.map((one, at) => (
        <Row
          key={one.id}
          remove={may && (() => send({ do: "steps", steps: draft.steps.filter((_, place) => place !== at) }, noop))}
        >
          {one.text}{" "}
          <Box component="span" sx={{ color: "text.secondary", fontSize: "0.85rem" }}>
            {one.check === "none"
              ? "ticked by each member"
              : `done when ${one.path} ${one.check === "exists" ? "is there" : "has changed"}`}
          </Box>
        </Row>
      ))}
      {may && <NewStep draft={draft} send={send} />}
      <RefusalRemark error={save.error} />
    </Paper>
  );
}

const noop = () => {};

function Row({ remove, children }: { remove: false | (() => void); children: React.ReactNode }) {
  return (
    <Box
      sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: "0.9rem", borderTop: 1, borderColor: "divider" }}
    >
      <Box sx={{ flex: 1, py: 0.5, minWidth: 0 }}>{children}</Box>
      {remove && (
        <Button size="small" onClick={remove}>
          Drop it
        </Button>
      )}
    </Box>
  );
}

function NewStep({ draft, send }: { draft: Draft; send: Send }) {
  const [text, setText] = useState("");
  const [check, setCheck] = useState<keyof typeof CHECKS>("none");
  const [path, setPath] = useState("");
  const add = () => {
    const id = `${text
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .slice(0, 40)}-${draft.revision}`;
    const step = { id, text, check, path: check === "none" ? "" : path };
    send({ do: "steps", steps: [...draft.steps, step] }, () => {
      setText("");
      setPath("");
    });
  };
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, flexWrap: "wrap", pt: 1.25 }}
      onSubmit={(event) => {
        event.preventDefault();
        add();
      }}
    >
      <TextField
        label="A step that only a person can do"
        required
        value={text}
        onChange={(event) => setText(event.target.value)}
        sx={{ flex: 2, minWidth: 220 }}
      />
      <Pick label="Done when" value={check} options={optionsOf(CHECKS)} onChange={setCheck} sx={{ width: 190 }} />
      {check !== "none" && (
        <TextField
          label="File"
          required
          value={path}
          onChange={(event) => setPath(event.target.value)}
          sx={{ flex: 1, minWidth: 120 }}
        />
      )}
      <Button type="submit" variant="outlined">
        Add the step
      </Button>
    </Box>
  );
}
