// Every sync that changed something: what it did, what it kept of mine, and the way back.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { isBusy } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { day, many } from "../../parts/words";
import { type Page, useOrder } from "./asking";
import { Paths, Section } from "./Section";

type Entry = Page["history"][number];

export function History({ one }: { one: Page }) {
  const order = useOrder(one.id);
  if (!one.history.length) return null;
  const idle = one.watching && !isBusy(one.progress) && !order.isPending;
  return (
    <Section title="History">
      <Box sx={{ maxHeight: 300, overflowY: "auto" }} tabIndex={0} role="region" aria-label="Syncs">
        {one.history.map((each) => (
          <Box key={each.id} sx={{ py: 0.5, fontSize: "0.9rem", borderTop: 1, borderColor: "divider" }}>
            <Box sx={{ display: "flex", justifyContent: "space-between", gap: 1 }}>
              <span>
                {day(each.id.slice(0, 10))}: {each.before || "nothing"} → {each.release}
                {each.undoes && " (taken back)"}
              </span>
            </Box>
            <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>{counts(each)}</Box>
            {each.before !== "" && <Paths title="Mods" paths={each.mods ?? []} plain />}
            <Kept entry={each} />
            <Paths title="Moved aside" paths={each.moved} />
            {idle && each.moved.length > 0 && (
              <Button size="small" onClick={() => order.mutate({ what: "put back", id: each.id })}>
                Put back where there is room
              </Button>
            )}
          </Box>
        ))}
      </Box>
      <RefusalRemark error={order.error} />
      {idle && one.undo && (
        <Button size="small" variant="outlined" sx={{ mt: 1 }} onClick={() => order.mutate({ what: "undo" })}>
          Take the last sync back, to {one.undo}
        </Button>
      )}
    </Section>
  );
}

/** What merging settings kept of the member's, and what had to match. */
function Kept({ entry }: { entry: Entry }) {
  return (
    <Box component="ul" sx={{ m: 0, pl: 2, fontSize: "0.82rem", overflowWrap: "anywhere" }}>
      {entry.notes.flatMap((note) => [
        ...(note.kept ?? []).map((each) => (
          <li key={`${note.path} ${each.key}`}>
            {note.path}: <code>{each.key}</code> stays {each.mine} (the pack says {each.new})
          </li>
        )),
        ...(note.overruled ?? []).map((each) => (
          <li key={`${note.path} ${each.key}`}>
            {note.path}: <code>{each.key}</code> set to {each.new}, was {each.mine}
          </li>
        )),
        ...(note.comments_lost
          ? [
              <li key={`${note.path} comments`}>
                {note.path}: {many(note.comments_lost, "comment")} went, within a list that was written anew
              </li>,
            ]
          : []),
        ...(note.problem ? [<li key={note.path}>{note.problem}</li>] : []),
      ])}
    </Box>
  );
}

const WORDS: Record<string, string> = {
  place: "placed",
  replace: "replaced",
  merge: "merged",
  adjust: "adjusted",
  remove: "removed",
  aside: "moved aside",
};

const counts = (entry: Entry) =>
  Object.entries(entry.counts)
    .map(([act, count]) => `${count} ${WORDS[act] ?? act}`)
    .join(", ");
