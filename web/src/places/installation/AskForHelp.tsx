// Asking the curators for help: the agent gathers what they need, its member reads it, and sends it or not.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { isBusy, useHelpCalls } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { CallLine } from "../help/CallsForHelp";
import { type Page, useOrder } from "./asking";
import { Section } from "./Section";

export function AskForHelp({ one }: { one: Page }) {
  const order = useOrder(one.id);
  const busy = isBusy(one.progress);
  const calls = useHelpCalls(one.pack_id, busy).data ?? [];
  const [words, setWords] = useState("");
  const mine = calls.filter((call) => call.own && call.installation === one.name);
  return (
    <Section title="Help">
      {mine.map((call) => (
        <CallLine key={call.id} one={call} narrow />
      ))}
      {one.watching ? (
        <Box
          component="form"
          aria-label="Ask for help"
          sx={{ display: "grid", gap: 1, mt: mine.length ? 1.5 : 0 }}
          onSubmit={(event) => {
            event.preventDefault();
            order.mutate({ what: "call for help", words }, { onSuccess: () => setWords("") });
          }}
        >
          <TextField
            label="What happened, in your words"
            multiline
            value={words}
            onChange={(event) => setWords(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 2000 } }}
          />
          <Box>
            <Button type="submit" variant="outlined" disabled={busy || order.isPending}>
              Gather what a curator needs
            </Button>
          </Box>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            How it stands, the machine, the last starts and what they said, settings that are otherwise; what is private
            is replaced. You read it before anybody else does.
          </Typography>
        </Box>
      ) : (
        <Typography variant="body2">
          <code>convoy help-me "what happened"</code> gathers what a curator needs, shows it to you, and sends it if you
          say so.
        </Typography>
      )}
      <RefusalRemark error={order.error} />
    </Section>
  );
}
