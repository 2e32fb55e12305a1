// The next departure of this pack, for a member: when, what it needs, and whether one is coming.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useDepartures } from "../../api/queries";
import { Answer } from "../../parts/Answer";
import { RefusalRemark } from "../../parts/notices";
import { moment } from "../../parts/words";
import { timeLeft } from "../pack/Departures";
import { type Page, useChoose } from "./asking";
import { Section } from "./Section";

export function NextDeparture({ one }: { one: Page }) {
  const next = (useDepartures(one.pack_id).data ?? [])[0];
  if (!next) return null;
  const ready = one.release === next.needed;
  return (
    <Section title={moment(next.at)} aside={timeLeft(next.at)}>
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
        <GoThere one={one} needed={next.needed} />
      </Box>
    </Section>
  );
}

/** One press to follow what the evening needs, where this installation follows another release. */
function GoThere({ one, needed }: { one: Page; needed: string }) {
  const choose = useChoose(one.id);
  const release = one.releases.find((each) => each.number === needed);
  if (!release || needed === one.target) return null;
  const newest = needed === one.current;
  const trial = one.trial || !release.open;
  return (
    <>
      <Button
        size="small"
        disabled={choose.isPending}
        onClick={() => choose.mutate({ trial, stays_at: newest ? "" : needed })}
      >
        {newest ? "Follow the newest again" : `Follow ${needed} for it`}
      </Button>
      {choose.error && (
        <Box sx={{ flexBasis: "100%", order: 1 }}>
          <RefusalRemark error={choose.error} />
        </Box>
      )}
    </>
  );
}
