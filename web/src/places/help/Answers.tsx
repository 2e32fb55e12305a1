// What is said to a call, what is proposed and taken with one press, and the last word: what it was.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import { when } from "../../parts/words";
import { type Proposal, Propose } from "./Propose";

type Call = Shape["HelpCallOut"];

const of = (call_id: string) => ({ params: { path: { call_id } } });

export function Answers({ one }: { one: Call }) {
  return (
    <Paper variant="outlined" component="section" aria-label="Answers" sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Answers
      </Typography>
      {!one.said.length && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {one.curates ? "Nobody has answered yet." : "Nobody has answered yet. You get a notice when somebody does."}
        </Typography>
      )}
      {one.said.map((said) => (
        <Said key={said.number} one={one} said={said} />
      ))}
      {one.state === "open" && <Say one={one} />}
      {one.state === "open" && <Close one={one} />}
    </Paper>
  );
}

function Said({ one, said }: { one: Call; said: Shape["HelpAnswerOut"] }) {
  const take = useChange(
    () =>
      told(
        api.POST("/api/calls/{call_id}/answers/{number}/take", {
          params: { path: { call_id: one.id, number: said.number } },
        }),
      ),
    ["call", one.id],
    ["pack", one.pack_id],
    ["installation"],
  );
  return (
    <Box component="article" sx={{ py: 1, borderTop: 1, borderColor: "divider", overflowWrap: "anywhere" }}>
      <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
        <strong>{said.by}</strong>, {when(said.at)}
      </Box>
      {said.text && <Box sx={{ whiteSpace: "pre-wrap" }}>{said.text}</Box>}
      {said.says && (
        <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap", mt: 0.5 }}>
          <Box sx={{ fontWeight: 600, flex: "1 1 200px" }}>{said.says}</Box>
          {said.taken_at ? (
            <Box sx={{ fontSize: "0.85rem", color: "primary.main" }}>
              {said.proposal.do === "step" ? "done" : "taken"} by {said.taken_by}, {when(said.taken_at)}
            </Box>
          ) : (
            said.mine && (
              <Button
                size="small"
                variant="contained"
                disabled={take.isPending}
                aria-label={`${said.proposal.do === "step" ? "I did it" : "Take it"}: ${said.says}`}
                onClick={() => take.mutate(undefined)}
              >
                {said.proposal.do === "step" ? "I did it" : "Take it"}
              </Button>
            )
          )}
        </Box>
      )}
      <RefusalRemark error={take.error} />
    </Box>
  );
}

function Say({ one }: { one: Call }) {
  const [text, setText] = useState("");
  const [proposal, setProposal] = useState<Proposal | null>(null);
  const [sent, setSent] = useState(0);
  const say = useChange(
    () => told(api.POST("/api/calls/{call_id}/answers", { ...of(one.id), body: { text, proposal } })),
    ["call", one.id],
  );
  return (
    <Box
      component="form"
      aria-label="Answer"
      sx={{ display: "grid", gap: 1, mt: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        say.mutate(undefined, {
          onSuccess: () => {
            setText("");
            setProposal(null);
            setSent(sent + 1);
          },
        });
      }}
    >
      <TextField
        label={one.curates && !one.own ? "Your answer" : "Say more"}
        multiline
        value={text}
        onChange={(event) => setText(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 2000 } }}
      />
      {one.curates && <Propose key={sent} one={one} proposal={proposal} setProposal={setProposal} />}
      <Box>
        <Button type="submit" variant="outlined" disabled={say.isPending || !(text.trim() || proposal)}>
          {proposal ? "Propose it" : "Say it"}
        </Button>
      </Box>
      <RefusalRemark error={say.error} />
    </Box>
  );
}

function Close({ one }: { one: Call }) {
  const [asked, setAsked] = useState(false);
  const [was, setWas] = useState("");
  const close = useChange(
    () => told(api.POST("/api/calls/{call_id}/close", { ...of(one.id), body: { was } })),
    ["call", one.id],
    ["pack", one.pack_id, "calls"],
  );
  if (!asked)
    return (
      <Button size="small" sx={{ mt: 1 }} onClick={() => setAsked(true)}>
        Close it: it is settled
      </Button>
    );
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, mt: 2, alignItems: "flex-start", flexWrap: "wrap" }}
      onSubmit={(event) => {
        event.preventDefault();
        close.mutate(undefined);
      }}
    >
      <TextField
        label="What it was"
        helperText="Whoever has the same cause later is told this."
        value={was}
        onChange={(event) => setWas(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 500 } }}
        sx={{ flex: "1 1 240px" }}
      />
      <Button type="submit" variant="outlined" disabled={close.isPending}>
        Close
      </Button>
      <Button onClick={() => setAsked(false)}>Leave it open</Button>
      <RefusalRemark error={close.error} />
    </Box>
  );
}
