// What is not as the release has it, each with a tick: mend all, or chosen ones.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { useState } from "react";
import { isBusy } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { DifferenceRows } from "../pack/DifferenceRows";
import { type Page, useOrder } from "./asking";
import { Section } from "./Section";

export function Differences({ one }: { one: Page }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const order = useOrder(one.id);
  const found = one.standing.differences;
  if (!found.length) return null;
  const only = found.filter((each) => chosen.includes(each.sentence)).flatMap((each) => each.paths);
  return (
    <Section title="What differs" aside={`${found.length} of the pack's parts`}>
      {found.map((each) => (
        <Box key={each.sentence} sx={{ display: "flex", gap: 0.5, alignItems: "flex-start" }}>
          {one.watching && !one.by_listing && (
            <Checkbox
              size="small"
              checked={chosen.includes(each.sentence)}
              onChange={(event) =>
                setChosen(
                  event.target.checked ? [...chosen, each.sentence] : chosen.filter((text) => text !== each.sentence),
                )
              }
              slotProps={{ input: { "aria-label": `Mend: ${each.sentence}` } }}
              sx={{ p: 0.5 }}
            />
          )}
          <DifferenceRows difference={each} />
        </Box>
      ))}
      <RefusalRemark error={order.error} />
      {one.watching && chosen.length > 0 && (
        <Button
          size="small"
          variant="outlined"
          disabled={isBusy(one.progress) || order.isPending}
          onClick={() => order.mutate({ what: "sync", only, extras_aside: true }, { onSuccess: () => setChosen([]) })}
        >
          Mend what is ticked
        </Button>
      )}
    </Section>
  );
}
