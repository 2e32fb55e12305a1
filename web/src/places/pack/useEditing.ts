// Edits of the draft: sent against the revision one sees, answered with what they did, refused with what changed
// meanwhile. An edit that would do more than was asked, as the site judges, waits for a yes. One place, so that every
// button and key answers in the same way; here, too, others' edits are noticed and one's own are undone.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Refused, Shape } from "../../api/client";
import { type Edit, readAnew, useSending } from "../../api/edits";
import { useDraft, useEdits } from "../../api/queries";
import { moved } from "./manifest/rows";

type Outcome = Shape["OutcomeOut"];
type Done = Shape["EditOut"];

export interface Rehearsal {
  edits: Edit[];
  outcome: Outcome;
}

/** What happens to an edit that was asked for: it is kept, or it is declined or refused. */
export interface Then {
  kept?: () => void;
  not?: () => void;
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
  /** As `edit`, for whoever needs to know what became of it. */
  editThen: (then: Then, ...edits: Edit[]) => void;
  keep: () => void;
  drop: () => void;
  undo: (() => void) | null;
  redo: (() => void) | null;
}

export function useEditing(packId: string): Editing {
  const draft = useDraft(packId).data;
  const edits = useEdits(packId);
  const [answer, setAnswer] = useState<Outcome | null>(null);
  const [waiting, setWaiting] = useState<(Rehearsal & { then: Then }) | null>(null);
  const revision = draft?.revision ?? 0;
  const others = useOthers(packId, revision, edits.data);
  const sent = useSending(packId, shown);
  const send = (wanted: Edit[], then: Then, ask: boolean) => {
    setWaiting(null);
    sent.mutate(
      { edits: wanted, ask },
      {
        onSuccess: (outcome) => {
          if (!outcome.kept) return setWaiting({ edits: wanted, outcome, then });
          setAnswer(outcome);
          then.kept?.();
        },
        onError: () => then.not?.(),
      },
    );
  };
  const takeBack = (one: number | null | undefined) =>
    one && !sent.isPending ? () => send([{ do: "take back", revision: one }], {}, false) : null;
  return {
    answer: sent.error ? null : answer,
    refused: sent.error,
    pending: sent.isPending,
    rehearsal: waiting,
    others,
    last: edits.data?.[0] ?? null,
    edit: (...wanted) => send(wanted, {}, true),
    editThen: (then, ...wanted) => send(wanted, then, true),
    keep: () => waiting && send(waiting.edits, waiting.then, false),
    drop: () => {
      waiting?.then.not?.();
      setWaiting(null);
    },
    undo: takeBack(draft?.undo),
    redo: takeBack(draft?.redo),
  };
}

/** Lines that are moved stand in their new place at once. */
function shown(draft: Shape["DraftOut"], edits: Edit[]): Shape["DraftOut"] {
  let { lines } = draft;
  for (const one of edits) if (one.do === "move") lines = moved(lines, one);
  return lines === draft.lines ? draft : { ...draft, lines };
}

/** Reads anew what somebody else's edit may have changed, and tells whose edit that was. */
function useOthers(packId: string, revision: number, edits: Done[] | undefined): Done | null {
  const client = useQueryClient();
  const [since, setSince] = useState<number | null>(null);
  const newest = edits?.[0];
  useEffect(() => {
    if (!newest) return;
    setSince((before) => before ?? newest.revision);
    if (newest.revision <= revision || revision === 0) return;
    readAnew(client, packId, (key) => key[2] === "edits");
  }, [newest, revision, client, packId]);
  return newest && !newest.mine && since !== null && newest.revision > since ? newest : null;
}
