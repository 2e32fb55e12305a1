// Steps that only a person can do: told before, kept after, checked where a check exists.
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import { isBusy } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { many } from "../../parts/words";
import { type Page, useOrder } from "./asking";
import { Section } from "./Section";

export function Steps({ one }: { one: Page }) {
  const order = useOrder(one.id);
  if (!one.steps.length && !one.steps_later) return null;
  const left = one.steps.filter((step) => !step.done).length;
  return (
    <Section
      title="Steps by hand"
      aside={one.steps.length ? (left ? `${left} of ${one.steps.length} to do` : "all done") : ""}
    >
      {one.steps.map((step) => (
        <Box key={step.id} sx={{ display: "flex", gap: 0.5, alignItems: "flex-start", fontSize: "0.9rem", py: 0.25 }}>
          <Checkbox
            size="small"
            checked={step.done}
            disabled={step.seen || isBusy(one.progress) || !one.watching || !one.looked_at}
            onChange={(event) => order.mutate({ what: "step", step: step.id, done: event.target.checked })}
            slotProps={{ input: { "aria-label": step.text } }}
            sx={{ p: 0.5 }}
          />
          <Box>
            {step.text}
            <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>{checked(step)}</Box>
          </Box>
        </Box>
      ))}
      {one.steps_later > 0 && (
        <Box sx={{ fontSize: "0.88rem", color: "text.secondary" }}>
          {many(one.steps_later, "step")} of this release {one.steps_later > 1 ? "are" : "is"} told when it opens.
        </Box>
      )}
      <RefusalRemark error={order.error} />
    </Section>
  );
}

function checked(step: Page["steps"][number]): string {
  if (step.check === "none") {
    return step.done ? "Ticked by you." : "Nobody can check this for you; tick it when it is done.";
  }
  const what = step.check === "exists" ? `${step.path} is there` : `${step.path} has changed`;
  return step.seen ? `Seen: ${what}.` : `Done when ${what}; that is checked.`;
}
