// How a call for help stands, in a word with its shape and colour.
import Box from "@mui/material/Box";
import type { Shape } from "../../api/client";

const STATES: Record<Shape["HelpState"], { shape: string; colour: string; word: string }> = {
  gathered: { shape: "○", colour: "warning.main", word: "not sent yet" },
  open: { shape: "◆", colour: "warning.main", word: "open" },
  closed: { shape: "●", colour: "primary.main", word: "closed" },
};

export function CallMark({ state }: { state: Shape["HelpState"] }) {
  const { shape, colour, word } = STATES[state];
  return (
    <Box component="span" sx={{ color: colour, fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden>{shape}</span> {word}
    </Box>
  );
}

/** What it is about: the cause where one is known, else what its member says. */
export const about = (one: Shape["HelpCallRow"]) => one.cause || one.words || "Nothing was said of it";
