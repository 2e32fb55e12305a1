// Optional mods, with the curator's advice. Kept through updates; new ones are offered once.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { RefusalRemark } from "../../parts/notices";
import { bytes } from "../../parts/words";
import { type Page, useChoose } from "./asking";
import { Section } from "./Section";

export function Choices({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  if (!one.choices.length) return null;
  const out = one.choices.filter((each) => !each.taken).map((each) => each.mod);
  const asked = one.choices.map((each) => each.mod);
  const fresh = one.choices.some((each) => each.fresh);
  const set = (mod: string, taken: boolean) =>
    choose.mutate({ left_out: taken ? out.filter((each) => each !== mod) : [...out, mod], asked_about: asked });
  return (
    <Section title="My choices" aside="optional; the rest must match">
      {one.choices.map((each) => (
        <Box key={each.mod} sx={{ display: "flex", gap: 0.5, alignItems: "flex-start", fontSize: "0.9rem", py: 0.25 }}>
          <Checkbox
            size="small"
            checked={each.taken}
            disabled={choose.isPending || one.by_listing}
            onChange={(event) => set(each.mod, event.target.checked)}
            slotProps={{ input: { "aria-label": each.name } }}
            sx={{ p: 0.5 }}
          />
          <Box>
            {each.name}{" "}
            <Box component="span" sx={{ color: "text.secondary" }}>
              {bytes(each.size)}
              {each.memory >= 64 && `, ${each.memory} MB of memory`}
            </Box>
            {each.fresh && (
              <Box component="span" sx={{ color: "info.main", fontWeight: 600 }}>
                {" "}
                ○ new
              </Box>
            )}
            <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
              {each.collection && `Of ${each.collection}. `}
              {each.advice}
            </Box>
          </Box>
        </Box>
      ))}
      <RefusalRemark error={choose.error} />
      {fresh && (
        <Button size="small" disabled={choose.isPending} onClick={() => choose.mutate({ asked_about: asked })}>
          Keep it so
        </Button>
      )}
    </Section>
  );
}
