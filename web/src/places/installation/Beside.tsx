// Collections of one's own beside the pack: what each brings, what stays out of it and why; to add one, to leave one.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { lazy, Suspense, useState } from "react";
import { api, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { Emblem } from "../../parts/marks";
import { RefusalRemark } from "../../parts/notices";
import { many } from "../../parts/words";
import { mono } from "../../theme";
import type { Page } from "./asking";
import { NotLaid } from "./NotLaid";
import { Section } from "./Section";

const AddCollection = lazy(() => import("./AddCollection"));

type One = Page["beside"][number];

export function Beside({ one }: { one: Page }) {
  const [adding, setAdding] = useState(false);
  const leave = useChange(
    (collection_id: string) =>
      told(
        api.DELETE("/api/installations/{installation_id}/beside/{collection_id}", {
          params: { path: { installation_id: one.id, collection_id } },
        }),
      ),
    ["installation", one.id],
  );
  if (one.by_listing) return null;
  return (
    <Section title="Collections of mine" aside="they touch nobody else">
      {one.beside.map((each) => (
        <Box
          key={each.id}
          component="section"
          aria-label={each.name}
          sx={{ display: "flex", gap: 1, alignItems: "flex-start", py: 0.75, fontSize: "0.9rem" }}
        >
          <Emblem name={each.emblem} size={22} />
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <strong>{each.name}</strong>{" "}
            <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
              {each.has && each.number && each.has !== each.number ? `${each.has} → ${each.number}` : each.number}
            </Box>
            <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>{state(each, !!one.sealed_until)}</Box>
            {!each.at_once && !each.has && one.paired && (
              <Box sx={{ fontSize: "0.82rem" }}>
                Other people’s keys sign it. Compare them, then say on the machine:{" "}
                <code>
                  convoy add "{each.name}" --key {each.key}
                </code>
              </Box>
            )}
            {each.notes && (
              <Box
                component="details"
                sx={{ fontSize: "0.84rem", "& summary": { cursor: "pointer", lineHeight: "28px" } }}
              >
                <summary>What it is, and what to do by hand</summary>
                <Box sx={{ whiteSpace: "pre-wrap" }}>{each.notes}</Box>
                {each.steps.map((step) => (
                  <Box key={step}>– {step}</Box>
                ))}
              </Box>
            )}
            <NotLaid rows={each.left_out} />
          </Box>
          <Button
            size="small"
            disabled={leave.isPending}
            onClick={() => leave.mutate(each.id)}
            aria-label={`Leave ${each.name}`}
          >
            Leave
          </Button>
        </Box>
      ))}
      {!one.beside.length && (
        <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
          What changes only your own screen and sound may come from a collection of your choice, beside what the crew
          shares.
        </Box>
      )}
      <RefusalRemark error={leave.error} />
      <Button size="small" variant="outlined" sx={{ mt: 1 }} onClick={() => setAdding(true)}>
        Add a collection
      </Button>
      {adding && (
        <Suspense>
          <AddCollection one={one} close={() => setAdding(false)} />
        </Suspense>
      )}
    </Section>
  );
}

function state(each: One, sealed: boolean): string {
  if (each.why) return each.why;
  const is = !each.has
    ? "comes with the next sync"
    : each.has !== each.number
      ? "the newer one comes with the next sync"
      : each.off
        ? `${many(each.off, "mod")} not as it should be: a sync mends that`
        : "in place";
  if (!sealed && !each.mods && each.left_out.length) return `by ${each.crew}, nothing of it is laid down here`;
  return [`by ${each.crew}`, !sealed && many(each.mods, "mod"), is].filter(Boolean).join(", ");
}
