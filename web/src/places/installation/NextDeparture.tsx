// The next departure of this pack, for a member: when, what it needs, and whether one is coming.
import Box from "@mui/material/Box";
import { useDepartures } from "../../api/queries";
import { Answer } from "../../parts/Answer";
import { departs, timeLeft } from "../pack/Departures";
import type { Page } from "./asking";
import { Section } from "./Section";

export function NextDeparture({ one }: { one: Page }) {
  const next = (useDepartures(one.pack_id).data ?? [])[0];
  if (!next) return null;
  const ready = one.release === next.needed;
  return (
    <Section title={departs(next.at)} aside={timeLeft(next.at)}>
      <Box sx={{ fontSize: "0.9rem" }}>
        {next.note}{" "}
        {next.needed ? (
          <>
            It needs release <code>{next.needed}</code>, which this machine has{ready ? "" : " not yet"}.
          </>
        ) : (
          "It waits for a release: none is open."
        )}{" "}
        {next.ready} of {next.coming.length} ready.
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
        <Answer pack={one.pack_id} departure={next} />
      </Box>
    </Section>
  );
}
