// Edits of the draft: sent against the revision one sees, answered with what they did, refused with what changed
// meanwhile. An edit that would do more than was asked waits for a yes. One place, so that every button and key
// answers in the same way; here, too, others' edits are noticed and one's own are undone.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import type { Refused, Shape } from "../../api/client";
import { type Edit, sendEdits, useChange, useDraft, useEdits } from "../../api/queries";

type Outcome = Shape["OutcomeOut"];
type Done = Shape["EditOut"];

export interface Rehearsal {
  edits: Edit[];
  outcome: Outcome;
}

export interface Editing {
  /** What the last edit did, or why it was refused; null before the first. */
  answer: Outcome | null;
  refused: Refused | null;
  pending: boolean;
  /** What would happen beyond what was asked; waits for `keep` or `drop`. */
  rehearsal: Rehearsal | null;
  /** The newest edit of somebody else since this page was opened. */
  others: Done | null;
  /** The newest edit of anybody. */
  last: Done | null;
  edit: (...edits: Edit[]) => void;
  keep: () => void;
  drop: () => void;
  undo: (() => void) | null;
  redo: (() => void) | null;
}

/** Edits whose side effects are shown before they are kept. Adding asks only when it moves or drops something. */
const ASKS = new Set(["remove", "switch", "hold", "update", "add", "add many", "take over", "copy lines"]);

export function useEditing(packId: string): Editing {
  const draft = useDraft(packId);
  const edits = useEdits(packId);
  const [answer, setAnswer] = useState<Outcome | null>(null);
  const [rehearsal, setRehearsal] = useState<Rehearsal | null>(null);
  const revision = draft.data?.revision ?? 0;
  const others = useOthers(packId, revision, edits.data);
  const sent = useChange((wanted: Edit[]) => sendEdits(packId, revision, wanted), ["pack", packId], ["packs"]);
  const rehearsed = useChange((wanted: Edit[]) => sendEdits(packId, revision, wanted, true));
  const { undo, redo } = useMemo(() => undoable(edits.data ?? []), [edits.data]);
  const send = (wanted: Edit[]) => {
    setRehearsal(null);
    sent.mutate(wanted, { onSuccess: setAnswer });
  };
  const takeBack = (one: Done | undefined) =>
    one && !sent.isPending ? () => send([{ do: "take back", revision: one.revision }]) : null;
  return {
    answer: sent.error || rehearsed.error ? null : answer,
    refused: sent.error ?? rehearsed.error,
    pending: sent.isPending || rehearsed.isPending,
    rehearsal,
    others,
    last: edits.data?.[0] ?? null,
    edit: (...wanted) => {
      sent.reset();
      if (!wanted.every((one) => ASKS.has(one.do))) return send(wanted);
      rehearsed.mutate(wanted, {
        onSuccess: (outcome) => (doesMore(wanted, outcome) ? setRehearsal({ edits: wanted, outcome }) : send(wanted)),
      });
    },
    keep: () => rehearsal && send(rehearsal.edits),
    drop: () => setRehearsal(null),
    undo: takeBack(undo),
    redo: takeBack(redo),
  };
}

/** Whether an outcome touches more than the mods that were named. What an added mod brings in is no surprise. */
function doesMore(edits: Edit[], outcome: Outcome): boolean {
  const named = new Set(edits.flatMap((one) => ("mods" in one ? (one.mods ?? []) : "mod" in one ? [one.mod] : [])));
  for (const one of edits) if (one.do === "take over") for (const { mod } of one.builds) named.add(mod);
  const adds = edits.every((one) => ["add", "add many", "take over", "copy lines"].includes(one.do));
  const stays = edits.some((one) => one.do === "remove") && outcome.changes.length === 0 && !outcome.unsettled.length;
  return (
    stays ||
    outcome.unsettled.length > 0 ||
    outcome.left_out.length > 0 ||
    outcome.changes.some((one) => !named.has(one.mod) && !(adds && one.what === "added"))
  );
}

/** The last of one's own edits that still counts, and the last undoing that is newer. */
function undoable(edits: Done[]): { undo?: Done; redo?: Done } {
  const byRevision = new Map(edits.map((one) => [one.revision, one]));
  const undoes = (one: Done): boolean => {
    const before = one.takes_back === null ? undefined : byRevision.get(one.takes_back);
    return one.takes_back !== null && (!before || !undoes(before));
  };
  const standing = edits.filter((one) => one.mine && !one.taken_back);
  const undo = standing.find((one) => !undoes(one));
  const redo = standing.find((one) => undoes(one) && one.revision > (undo?.revision ?? 0));
  return { undo, redo };
}

/** Reads the draft anew when somebody else edited it, and tells whose edit that was. */
function useOthers(packId: string, revision: number, edits: Done[] | undefined): Done | null {
  const client = useQueryClient();
  const [since, setSince] = useState<number | null>(null);
  const newest = edits?.[0];
  useEffect(() => {
    if (!newest) return;
    setSince((before) => before ?? newest.revision);
    if (newest.revision > revision && revision > 0) client.invalidateQueries({ queryKey: ["pack", packId, "draft"] });
  }, [newest, revision, client, packId]);
  return newest && !newest.mine && since !== null && newest.revision > since ? newest : null;
}
