// Settings of one installation, key by key: what the pack sets, what I changed, what going to its release changes.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
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
  const mine = one.settings.filter((row) => row.mine).length;
  return (
    <Section title="Settings" aside={one.tells_settings ? `${mine} changed by me` : "what the pack sets"}>
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
            key={`${row.path} ${row.key.join(".")}`}
            sx={{ borderTop: 1, borderColor: "divider", py: 0.5, fontSize: "0.88rem", overflowWrap: "anywhere" }}
          >
            <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
              {row.key.join(".")}
            </Box>{" "}
            {said(row)}
            {row.mine && (
              <Button
                size="small"
                sx={{ py: 0, ml: 0.5 }}
                disabled={busy}
                aria-label={`Take the pack’s value of ${row.key.join(".")}`}
                onClick={() => order.mutate({ what: "set back", settings: [{ path: row.path, key: row.key }] })}
              >
                Take the pack’s value
              </Button>
            )}
            <Box sx={{ color: "text.secondary", fontSize: "0.8rem" }}>{row.path}</Box>
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
              The crew’s curators see key and value, never the file. Off: nobody is told, and what was told is dropped.
            </Box>
          </Box>
        }
      />
      <RefusalRemark error={choose.error ?? order.error} />
    </Section>
  );
}

/** What holds of one key here, in words; a shape goes with what needs a look. */
function said(row: Row): string {
  const will = row.pack !== row.installed;
  const parts = [
    row.mine && `◆ mine: ${row.mine}${row.was && `, placed as ${row.was}`}`,
    row.pack && !will && `the pack: ${row.pack} (${row.how})`,
    row.pack && will && `◐ will be ${row.pack}${row.installed && `, was ${row.installed}`} (${row.how})`,
    !row.pack && row.installed && `◐ the pack sets it no more, was ${row.installed}`,
    row.mine && row.pack && will && (row.how === "enforced" ? "the pack’s wins" : "mine stays"),
  ];
  return parts.filter(Boolean).join("; ");
}
