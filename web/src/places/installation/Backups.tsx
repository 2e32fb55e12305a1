// Backups of worlds and settings: made before whatever touches worlds, or on request; restoring can itself be undone.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { isBusy } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { bytes, clock, day, many } from "../../parts/words";
import { type Page, useOrder } from "./asking";
import { Section } from "./Section";

export function Backups({ one }: { one: Page }) {
  const order = useOrder(one.id);
  const [asked, setAsked] = useState("");
  if (!one.release || one.by_listing) return null;
  const idle = one.watching && !isBusy(one.progress) && !order.isPending;
  return (
    <Section title="My worlds and settings" aside={one.backups.length ? many(one.backups.length, "backup") : ""}>
      {one.backups.length === 0 && (
        <Box sx={{ fontSize: "0.9rem", color: "text.secondary", mb: 1 }}>
          No backup yet. One is made by itself before anything that touches saved worlds.
        </Box>
      )}
      {one.backups.map((each) => (
        <Box key={each.id} sx={{ py: 0.5, fontSize: "0.9rem", borderTop: 1, borderColor: "divider" }}>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
            <Box sx={{ flex: 1, minWidth: 150 }}>
              {day(each.made_at)}, {clock(each.made_at)}
              <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
                {each.why} · {each.holds || `${many(each.files, "file")}, ${bytes(each.size)}`}
              </Box>
              {each.damaged && (
                <Box sx={{ fontSize: "0.82rem", color: "error.main" }}>Not to be restored whole: {each.damaged}</Box>
              )}
            </Box>
            {idle && asked !== each.id && (
              <Button size="small" onClick={() => setAsked(each.id)}>
                Go back to it
              </Button>
            )}
          </Box>
          {asked === each.id && (
            <Remark tone="warning">
              Worlds and settings become as they were then. How they are now is backed up first.
              <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
                <Button
                  size="small"
                  variant="contained"
                  onClick={() => {
                    order.mutate({ what: "restore", backup: each.id });
                    setAsked("");
                  }}
                >
                  Restore it
                </Button>
                <Button size="small" onClick={() => setAsked("")}>
                  Leave it
                </Button>
                <Button
                  size="small"
                  color="error"
                  onClick={() => order.mutate({ what: "drop backup", backup: each.id })}
                >
                  Delete this backup
                </Button>
              </Box>
            </Remark>
          )}
        </Box>
      ))}
      <RefusalRemark error={order.error} />
      {idle && (
        <Button size="small" variant="outlined" sx={{ mt: 1 }} onClick={() => order.mutate({ what: "back up" })}>
          Back up now
        </Button>
      )}
    </Section>
  );
}
