// The next departure of this pack, for a member: when, what it needs, and whether one is coming.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { api, told } from "../../api/client";
import { useChange, useDepartures } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { departs, timeLeft } from "../pack/Departures";
import type { Page } from "./asking";
import { Section } from "./Section";

export function NextDeparture({ one }: { one: Page }) {
  const next = (useDepartures(one.pack_id).data ?? [])[0];
  const answer = useChange(
    (comes: boolean) =>
      told(
        api.POST("/api/packs/{pack_id}/departures/{departure_id}/answer", {
          params: { path: { pack_id: one.pack_id, departure_id: next.id } },
          body: { comes },
        }),
      ),
    ["pack", one.pack_id, "departures"],
  );
  if (!next) return null;
  const ready = one.release === next.needed;
  return (
    <Section title={departs(next.at)} aside={timeLeft(next.at)}>
      <Box sx={{ fontSize: "0.9rem" }}>
        {next.note} It needs release <code>{next.needed}</code>
        {ready ? ", which this machine has." : ", which this machine has not yet."} {next.ready} of {next.coming.length}{" "}
        ready.
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        {(
          [
            [true, "I am coming"],
            [false, "Not this time"],
          ] as const
        ).map(([comes, name]) => (
          <Button
            key={name}
            size="small"
            variant={next.mine === comes ? "contained" : "outlined"}
            color={comes ? "primary" : "inherit"}
            aria-pressed={next.mine === comes}
            disabled={answer.isPending}
            onClick={() => answer.mutate(comes)}
          >
            {name}
          </Button>
        ))}
      </Box>
      <RefusalRemark error={answer.error} />
    </Section>
  );
}
