// Edits of the draft: sent against the revision one sees, answered with what they did, refused with what changed
// meanwhile. One place, so that every button and key answers in the same way.
import { useState } from "react";
import type { Refused, Shape } from "../../api/client";
import { type Edit, sendEdits, useChange, useDraft } from "../../api/queries";

export interface Editing {
  /** What the last edit did, or why it was refused; null before the first. */
  answer: Shape["OutcomeOut"] | null;
  refused: Refused | null;
  pending: boolean;
  edit: (edit: Edit) => void;
}

export function useEditing(packId: string): Editing {
  const draft = useDraft(packId);
  const [answer, setAnswer] = useState<Shape["OutcomeOut"] | null>(null);
  const sent = useChange(
    (edit: Edit) => sendEdits(packId, draft.data?.revision ?? 0, [edit]),
    ["pack", packId],
    ["packs"],
  );
  return {
    answer: sent.error ? null : answer,
    refused: sent.error,
    pending: sent.isPending,
    edit: (edit) => sent.mutate(edit, { onSuccess: setAnswer }),
  };
}
