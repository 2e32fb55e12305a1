// Saved worlds that lie there: what each was played with, what keeps it apart; copied, called otherwise, handed on.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { isBusy } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { bytes, day } from "../../parts/words";
import { mono } from "../../theme";
import { type Page, useOrder } from "./asking";
import { Section } from "./Section";

type World = Page["saved"][number];

const nameOf = (world: string) => world.slice(world.lastIndexOf("/") + 1);

export function SavedWorlds({ one }: { one: Page }) {
  if (!one.saved.length) return null;
  return (
    <Section title="Saved worlds" aside="never moved, never written over">
      {one.saved.map((world) => (
        <OneWorld key={world.world} world={world} one={one} />
      ))}
      {one.paired && !one.machine && (
        <Box
          component="details"
          sx={{ fontSize: "0.84rem", mt: 1, "& summary": { cursor: "pointer", lineHeight: "28px" } }}
        >
          <summary>Bring one over from elsewhere</summary>
          On the machine, with a ZIP, a world’s folder, or another installation’s:{" "}
          <Box component="code" sx={{ fontFamily: mono }}>
            convoy world bring PLACE
          </Box>
          . What this pack lacks of it, or has newer, is told before.
        </Box>
      )}
    </Section>
  );
}

function OneWorld({ world, one }: { world: World; one: Page }) {
  const order = useOrder(one.id);
  const [asking, setAsking] = useState<"copy world" | "rename world" | null>(null);
  const [name, setName] = useState("");
  const called = nameOf(world.world);
  const still = isBusy(one.progress) || order.isPending || !one.watching || one.by_listing;
  const last = world.played[world.played.length - 1];
  return (
    <Box component="section" aria-label={called} sx={{ py: 0.75, fontSize: "0.9rem", minWidth: 0 }}>
      <strong style={{ overflowWrap: "anywhere" }}>{called}</strong>{" "}
      <Box component="span" sx={{ color: "text.secondary" }}>
        {[world.size > 0 && bytes(world.size), world.changed && `played ${day(world.changed)}`]
          .filter(Boolean)
          .join(", ")}
      </Box>
      <Box sx={{ fontSize: "0.84rem" }}>
        {last ? `With ${playedWith(world)}` : "Nobody knows what it was played with before."}
      </Box>
      {world.progress.length > 0 && (
        <Box sx={{ fontSize: "0.84rem", color: "warning.main" }}>
          ◆ kept apart: {world.progress.join(", ")} {world.progress.length > 1 ? "change" : "changes"} progress in it
        </Box>
      )}
      {asking ? (
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, mt: 1.25, flexWrap: "wrap" }}
          onSubmit={(event) => {
            event.preventDefault();
            order.mutate({ what: asking, world: world.world, name: name.trim() }, { onSuccess: () => setAsking(null) });
          }}
        >
          <TextField
            size="small"
            autoFocus
            label={asking === "copy world" ? "The copy is called" : "It is called"}
            value={name}
            onChange={(event) => setName(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 80 } }}
          />
          <Button type="submit" size="small" variant="contained" disabled={still || !name.trim()}>
            {asking === "copy world" ? "Copy it" : "Call it so"}
          </Button>
          <Button size="small" onClick={() => setAsking(null)}>
            Not now
          </Button>
        </Box>
      ) : (
        <Box sx={{ display: "flex", gap: 0.5, ml: -0.75, flexWrap: "wrap", "& button": { minWidth: 0 } }}>
          <Button
            size="small"
            disabled={still}
            aria-label={`Copy ${called}`}
            onClick={() => {
              setName(`${called}, other bank`);
              setAsking("copy world");
            }}
          >
            Copy
          </Button>
          <Button
            size="small"
            disabled={still}
            aria-label={`Call it otherwise: ${called}`}
            onClick={() => {
              setName(called);
              setAsking("rename world");
            }}
          >
            Call it otherwise
          </Button>
          <Button
            size="small"
            disabled={still}
            aria-label={`Make a file of it: ${called}`}
            onClick={() => order.mutate({ what: "hand on", world: world.world })}
          >
            Make a file of it
          </Button>
        </Box>
      )}
      <RefusalRemark error={order.error} />
    </Box>
  );
}

/** The newest first; of many the first and how many lie between. */
function playedWith(world: World): string {
  const told = [...world.played].reverse().map((each) => `${each.name} ${each.number}`.trim());
  return told.length <= 3 ? told.join(", before that ") : `${told[0]}, and ${told.length - 1} releases before it`;
}
