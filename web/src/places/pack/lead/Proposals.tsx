// What is otherwise here than at the lead, sent to its curators; and what others propose, to be rehearsed, taken, answered.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../../api/client";
import { useChange } from "../../../api/queries";
import { RefusalRemark } from "../../../parts/notices";
import { many, when } from "../../../parts/words";
import type { Editing } from "../useEditing";
import { KINDS } from "./Offers";

type Proposal = Shape["ProposalOut"];

function usePicked() {
  const [picked, setPicked] = useState<readonly string[]>([]);
  const toggle = (one: string) =>
    setPicked(picked.includes(one) ? picked.filter((each) => each !== one) : [...picked, one]);
  return { picked: [...picked], toggle, clear: () => setPicked([]) };
}

interface OtherwiseProps {
  packId: string;
  lead: Shape["LeadOut"];
  rows: Shape["OwnWayOut"][];
  may: boolean;
}

export function Otherwise({ packId, lead, rows, may }: OtherwiseProps) {
  const { picked, toggle, clear } = usePicked();
  const [words, setWords] = useState("");
  const send = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/lead/proposals", {
          params: { path: { pack_id: packId } },
          body: { places: picked, words },
        }),
      ),
    ["pack", packId],
  );
  if (!rows.length) return null;
  const offers = may && lead.may_propose;
  return (
    <Box component="section" aria-label="Otherwise here" sx={{ mt: 4 }}>
      <Typography variant="h2">Otherwise here ({rows.length})</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 0.5 }}>
        What this pack has its own way. {offers && "It can be proposed to the lead’s curators."}
      </Typography>
      {rows.map((one) => (
        <Change
          key={one.place}
          kind={one.kind}
          name={one.name}
          before={one.theirs}
          after={one.mine}
          picked={offers ? picked.includes(one.place) : null}
          toggle={() => toggle(one.place)}
        />
      ))}
      {picked.length > 0 && (
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "flex-start", mt: 1.5, flexWrap: "wrap" }}>
          <TextField
            label="Why, in your words"
            multiline
            value={words}
            onChange={(event) => setWords(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 1000 } }}
            sx={{ flex: 1, minWidth: 240 }}
          />
          <Button
            variant="contained"
            disabled={send.isPending}
            onClick={() =>
              send.mutate(undefined, {
                onSuccess: () => {
                  clear();
                  setWords("");
                },
              })
            }
          >
            Propose {many(picked.length, "change")}
          </Button>
        </Box>
      )}
      <RefusalRemark error={send.error} />
    </Box>
  );
}

interface ChangeProps {
  kind: Shape["PlaceKind"];
  name: string;
  before: string;
  after: string;
  /** Null: there is nothing to pick. */
  picked: boolean | null;
  toggle: () => void;
  taken?: boolean;
}

function Change({ kind, name, before, after, picked, toggle, taken }: ChangeProps) {
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", py: 0.5, borderTop: 1, borderColor: "divider" }}>
      {picked !== null && (
        <Checkbox
          size="small"
          sx={{ p: 0, width: 24, height: 24 }}
          checked={picked}
          onChange={toggle}
          slotProps={{ input: { "aria-label": `Choose ${KINDS[kind]}: ${name}` } }}
        />
      )}
      <Box sx={{ fontSize: "0.9rem", overflowWrap: "anywhere", minWidth: 0 }}>
        <strong>{name}</strong>{" "}
        <Box component="span" sx={{ color: "text.secondary" }}>
          {before || "nothing"} →
        </Box>{" "}
        {after || "nothing"}
        {taken && (
          <Box component="span" sx={{ color: "primary.main", ml: 1 }}>
            taken
          </Box>
        )}
      </Box>
    </Box>
  );
}

interface ProposalsProps {
  packId: string;
  title: string;
  rows: Proposal[];
  /** For proposals to this pack: they are taken by an edit. Null for those that it made. */
  editing: Editing | null;
  may: boolean;
}

export function Proposals({ packId, title, rows, editing, may }: ProposalsProps) {
  if (!rows.length) return null;
  return (
    <Box component="section" aria-label={title} sx={{ mt: 4, display: "grid", gap: 1.5 }}>
      <Typography variant="h2">{title}</Typography>
      {rows.map((one) => (
        <One key={one.id} packId={packId} one={one} editing={editing} may={may} />
      ))}
    </Box>
  );
}

function One({ packId, one, editing, may }: { packId: string; one: Proposal; editing: Editing | null; may: boolean }) {
  const { picked, toggle, clear } = usePicked();
  const [words, setWords] = useState("");
  const path = { pack_id: packId, proposal_id: one.id };
  const answer = useChange(
    () => told(api.POST("/api/packs/{pack_id}/proposals/{proposal_id}/answer", { params: { path }, body: { words } })),
    ["pack", packId],
  );
  const back = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/lead/proposals/{proposal_id}", { params: { path } })),
    ["pack", packId],
  );
  const toUs = editing !== null && may;
  return (
    <Paper variant="outlined" sx={{ px: 2, py: 1.5 }}>
      <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
        <strong>{editing ? one.of : one.pack}</strong>, {one.by}, {when(one.at)}
      </Box>
      {one.words && <Typography sx={{ whiteSpace: "pre-wrap", my: 0.5 }}>{one.words}</Typography>}
      {one.changes.map((each) => (
        <Change
          key={each.place}
          kind={each.kind}
          name={each.name}
          before={each.before}
          after={each.after}
          taken={each.taken}
          picked={toUs ? picked.includes(each.place) : null}
          toggle={() => toggle(each.place)}
        />
      ))}
      {one.answered_at && (
        <Box sx={{ mt: 1, fontSize: "0.9rem" }}>
          <strong>{one.answered_by}</strong>, {when(one.answered_at)}: {one.answer || "taken as marked"}
        </Box>
      )}
      {toUs && (
        <Box sx={{ display: "flex", gap: 1, mt: 1, alignItems: "flex-start", flexWrap: "wrap" }}>
          <Button
            variant="contained"
            size="small"
            disabled={!picked.length || editing.pending}
            onClick={() => editing.editThen({ kept: clear }, { do: "take proposal", proposal: one.id, take: picked })}
          >
            Take {picked.length ? many(picked.length, "change") : "what is chosen"}
          </Button>
          <TextField
            label="Your answer"
            value={words}
            onChange={(event) => setWords(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 1000 } }}
            sx={{ flex: 1, minWidth: 200 }}
          />
          <Button
            size="small"
            disabled={!words.trim() || answer.isPending}
            onClick={() => answer.mutate(undefined, { onSuccess: () => setWords("") })}
          >
            Answer
          </Button>
        </Box>
      )}
      {editing === null && may && !one.answered_at && (
        <Button size="small" color="error" disabled={back.isPending} onClick={() => back.mutate(undefined)}>
          Take it back
        </Button>
      )}
      <RefusalRemark error={answer.error ?? back.error} />
    </Paper>
  );
}
