// What a sync will do: mods that come, move and leave, settings, files aside, bytes, minutes, and what it does to worlds.
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { ChangeList } from "../../parts/ChangeList";
import { bytes, duration, many } from "../../parts/words";
import type { Page } from "./asking";
import { Paths, Section } from "./Section";

export function Ahead({ one }: { one: Page }) {
  const { plan } = one;
  const anything = one.changes.length > 0 || (plan && figures(one).length > 0);
  if (!anything && !plan?.mine.length) return null;
  const title = one.changes.length
    ? one.release
      ? `From ${one.release} to ${one.target}`
      : `Release ${one.target}`
    : figures(one).length
      ? "What a sync does"
      : "What is yours";
  return (
    <Section title={title} aside={figures(one).join(" · ")}>
      <Box sx={{ display: "grid", gap: 1.25 }}>
        {one.worlds.length > 0 && (
          <Box sx={{ fontSize: "0.9rem" }}>
            <strong>Saved worlds</strong>
            <Box component="ul" sx={{ m: 0, mt: 0.5, pl: 2.25 }}>
              {one.worlds.slice(0, 6).map((world) => (
                <li key={world.sentence}>
                  {world.sentence}. {world.note}
                </li>
              ))}
              {one.worlds.length > 6 && <li>and {one.worlds.length - 6} more</li>}
            </Box>
          </Box>
        )}
        {plan && (
          <>
            <Paths
              title="Settings that change"
              note="key by key; yours stay"
              paths={plan.merged}
              count={plan.merge + plan.adjust}
            />
            <Paths
              title="Lose comments"
              note="those within a list that is written anew"
              paths={plan.rewritten.map((each) => `${each.path} (${each.comments})`)}
            />
            <Paths title="Your settings that stay" paths={plan.mine} />
            <Paths title="Moved aside" note="kept, never deleted" paths={plan.aside} />
            <Paths title="Not of the pack, left alone" paths={plan.extras} />
          </>
        )}
        {one.changes.length > 0 && (
          <Box
            sx={{ maxHeight: { xs: 240, md: 420 }, overflowY: "auto" }}
            tabIndex={0}
            role="region"
            aria-label="Mods that change"
          >
            <ChangeList changes={one.changes} />
          </Box>
        )}
        {!plan && one.changes.length > 0 && one.watching && (
          <Typography variant="caption">The machine has not looked yet; sizes follow when it has.</Typography>
        )}
      </Box>
    </Section>
  );
}

/** Bytes and files of the plan; nothing when a sync would change nothing. */
function figures(one: Page): string[] {
  const { plan } = one;
  if (!plan) return [];
  const moves = plan.place + plan.replace + plan.merge + plan.adjust + plan.remove;
  const said = [];
  if (plan.fetch_bytes) said.push(`${bytes(plan.fetch_bytes)} to fetch`);
  if (moves) said.push(many(moves, "file"));
  if (plan.seconds > 0) said.push(duration(plan.seconds).replace(" left", ""));
  return said;
}
