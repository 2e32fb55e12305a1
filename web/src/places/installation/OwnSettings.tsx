// Settings of one installation, key by key: what the pack sets, what I changed, what going to its release changes.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import type { Shape } from "../../api/client";
import { isBusy } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { mono } from "../../theme";
import { type Page, useChoose, useOrder } from "./asking";
import { Section } from "./Section";

type Row = Shape["OwnSettingOut"];

export function OwnSettings({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  const order = useOrder(one.id);
  const busy = order.isPending || isBusy(one.progress) || one.progress.phase === "waiting";
  if (one.by_listing) return null;
  const pin = (row: Row, stays: boolean) => {
    const others = one.settings.filter((each) => each.pinned && placeOf(each) !== placeOf(row));
    const kept = stays ? [...others, row] : others;
    choose.mutate({ pinned: kept.map((each) => ({ path: each.path, key: each.key })) });
  };
  const mine = one.settings.filter((row) => row.mine).length;
  return (
    <Section title="Settings" aside={one.tells_settings ? `${mine} changed by me` : "what the pack sets"}>
      {one.offered.map((each) => (
        <Box key={each.id} sx={{ display: "flex", gap: 0.5, alignItems: "flex-start", fontSize: "0.9rem", pb: 0.5 }}>
          <Checkbox
            size="small"
            sx={{ p: 0.5 }}
            checked={each.taken}
            disabled={choose.isPending}
            onChange={(event) => {
              const taken = one.offered.filter((other) => other.taken && other.id !== each.id).map((other) => other.id);
              choose.mutate({ setting_sets: event.target.checked ? [...taken, each.id] : taken });
            }}
            slotProps={{ input: { "aria-label": each.name } }}
          />
          <Box>
            {each.name}
            <Box sx={{ fontSize: "0.82rem", color: "text.secondary", overflowWrap: "anywhere" }}>
              your choice: {each.settings.slice(0, 6).join(", ")}
              {each.settings.length > 6 && ` and ${each.settings.length - 6} more`}
            </Box>
          </Box>
        </Box>
      ))}
      {one.settings.length === 0 && (
        <Box sx={{ fontSize: "0.9rem" }}>The pack sets none, and none was changed here.</Box>
      )}
      <Box
        role="region"
        aria-label="Settings here"
        tabIndex={0}
        sx={{ maxHeight: 320, overflowY: "auto", display: "grid", gap: 0 }}
      >
        {one.settings.map((row) => (
          <Box
            key={placeOf(row)}
            sx={{ borderTop: 1, borderColor: "divider", py: 0.5, fontSize: "0.88rem", overflowWrap: "anywhere" }}
          >
            <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
              {row.key.join(".")}
            </Box>{" "}
            {said(row)}
            <Box sx={{ display: "flex", flexWrap: "wrap", alignItems: "baseline", columnGap: 1 }}>
              <Box component="span" sx={{ color: "text.secondary", fontSize: "0.8rem", mr: "auto" }}>
                {row.path}
              </Box>
              {row.mine && (
                <Button
                  size="small"
                  sx={{ py: 0 }}
                  disabled={busy}
                  aria-label={`Take the pack’s value of ${row.key.join(".")}`}
                  onClick={() => order.mutate({ what: "set back", settings: [{ path: row.path, key: row.key }] })}
                >
                  Take the pack’s value
                </Button>
              )}
              {row.how !== "enforced" && (row.pinned || row.mine || row.pack !== row.installed) && (
                <Button
                  size="small"
                  sx={{ py: 0 }}
                  disabled={choose.isPending}
                  aria-label={`${row.pinned ? "Follow the pack again" : "Keep mine"}: ${row.key.join(".")}`}
                  onClick={() => pin(row, !row.pinned)}
                >
                  {row.pinned ? "Follow the pack again" : "Keep mine"}
                </Button>
              )}
            </Box>
          </Box>
        ))}
      </Box>
      <FormControlLabel
        sx={{ mt: 1, alignItems: "flex-start" }}
        control={
          <Switch
            size="small"
            checked={one.tells_settings}
            disabled={choose.isPending}
            onChange={(event) => choose.mutate({ tells_settings: event.target.checked })}
          />
        }
        label={
          <Box sx={{ fontSize: "0.88rem" }}>
            Tell which settings I changed here
            <Box sx={{ color: "text.secondary", fontSize: "0.8rem" }}>
              {one.side === "server" ? "Everybody aboard sees" : "The crew’s curators see"} key and value, never the
              file, and nothing that is called a password, token or account. What the game itself wrote is told, too:
              all who see the pack then find its settings. Off: nobody is told, and what was told is dropped.
            </Box>
          </Box>
        }
      />
      <RefusalRemark error={choose.error ?? order.error} />
    </Section>
  );
}

const placeOf = (row: Row) => `${row.path} ${row.key.join("\0")}`;

/** What holds of one key here, in words; a shape goes with what needs a look. */
function said(row: Row): string {
  const will = row.pack !== row.installed;
  const parts = [
    row.mine && `◆ mine: ${row.mine}${row.was && `, placed as ${row.was}`}`,
    row.pack && !will && `the pack: ${row.pack} (${row.how})`,
    row.pack && will && `◐ will be ${row.pack}${row.installed && `, was ${row.installed}`} (${row.how})`,
    !row.pack && row.installed && `◐ the pack sets it no more, was ${row.installed}`,
    row.mine && row.pack && will && (row.how === "enforced" ? "the pack’s wins" : "mine stays"),
    row.server && `■ the server has ${row.server}`,
    row.pinned && "● kept as it is here, whatever a release brings",
  ];
  return parts.filter(Boolean).join("; ");
}
