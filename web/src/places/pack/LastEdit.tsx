// What the last edit did, or why it was refused: one line, always in the same place, opened for more.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Shape } from "../../api/client";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many, when } from "../../parts/words";
import type { Editing } from "./useEditing";
import { WaysOut } from "./WaysOut";

export function LastEdit({ editing }: { editing: Editing }) {
  const { answer, refused, others, last } = editing;
  return (
    <Box sx={{ minHeight: 42, px: 1.5, pb: 0.5, flex: "none" }}>
      <RefusalRemark error={refused} />
      {!answer && !refused && others && (
        <Remark tone="info">
          <strong>{others.by}</strong>, {when(others.at)}: {others.sentence}. It is shown below.
        </Remark>
      )}
      {!answer && !refused && !others && last && (
        <Box
          sx={{
            color: "text.secondary",
            fontSize: "0.85rem",
            py: 1,
            overflow: "hidden",
            textOverflow: "ellipsis",
            whiteSpace: "nowrap",
          }}
        >
          Last edit: {last.sentence} ({last.by}, {when(last.at)})
        </Box>
      )}
      {answer && <Outcome key={answer.revision} answer={answer} editing={editing} />}
    </Box>
  );
}

/** Up to this many lines are told at once; more are counted, and opened. */
const AT_ONCE = 1;

function Outcome({ answer, editing }: { answer: Shape["OutcomeOut"]; editing: Editing }) {
  const troubles = answer.unsettled.length + answer.left_out.length;
  const more = troubles + answer.meanwhile.length;
  const [open, setOpen] = useState(more <= AT_ONCE);
  const sums = [
    answer.effects,
    answer.left_out.length > 0 && `${many(answer.left_out.length, "mod")} not added`,
    answer.meanwhile.length > 0 && `${many(answer.meanwhile.length, "edit")} of others meanwhile, all kept`,
  ].filter(Boolean);
  return (
    <Remark tone={troubles ? "warning" : "primary"}>
      <strong>{answer.sentence}</strong>
      {sums.length > 0 && `: ${sums.join("; ")}`}.
      {more > AT_ONCE && (
        <Button
          size="small"
          sx={{ py: 0, ml: 1 }}
          aria-expanded={open}
          aria-controls="outcome-more"
          onClick={() => setOpen(!open)}
        >
          {open ? "Less" : "Which"}
        </Button>
      )}
      {open && more > 0 && (
        <Box
          id="outcome-more"
          sx={{ maxHeight: 180, overflow: "auto" }}
          tabIndex={0}
          role="region"
          aria-label="In detail"
        >
          {answer.unsettled.map((one) => (
            <div key={one.mod}>
              {one.name}: {one.why}
              <WaysOut ways={one.ways} pick={(edit) => editing.edit(edit)} />
            </div>
          ))}
          {answer.left_out.map((one) => (
            <div key={one.mod}>
              {one.name} was not added. {one.why}
            </div>
          ))}
          {answer.meanwhile.length > 0 && <div>Meanwhile: {answer.meanwhile.join("; ")}.</div>}
        </Box>
      )}
    </Remark>
  );
}
