// Adding a collection beside the pack: by a code, or one of one's crews'; what it would bring is told before.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useOfferedBeside } from "../../api/queries";
import { Emblem } from "../../parts/marks";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";
import type { Page } from "./asking";
import { NotLaid } from "./NotLaid";

type One = Shape["BesideOut"];

export default function AddCollection({ one, close }: { one: Page; close: () => void }) {
  const offered = useOfferedBeside(one.id);
  const [code, setCode] = useState("");
  const take = useChange(
    (body: Shape["BesideTakeIn"]) =>
      told(
        api.POST("/api/installations/{installation_id}/beside", {
          params: { path: { installation_id: one.id } },
          body,
        }),
      ),
    ["installation", one.id],
    ["me"],
  );
  const add = (body: Shape["BesideTakeIn"]) => take.mutate(body, { onSuccess: close });
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth aria-labelledby="beside-title">
      <DialogTitle id="beside-title">Add a collection of your own</DialogTitle>
      <DialogContent sx={{ minHeight: 340 }}>
        <Box sx={{ fontSize: "0.9rem", color: "text.secondary", mb: 1.5 }}>
          It lies beside {one.pack}: never over its files, worlds or settings, and nobody else sees it. Leaving it takes
          only what nothing else needs.
        </Box>
        <Box
          component="form"
          sx={{ display: "flex", gap: 1, alignItems: "flex-start", mb: 2 }}
          onSubmit={(event) => {
            event.preventDefault();
            add({ code, collection: null });
          }}
        >
          <TextField
            size="small"
            label="Its code"
            value={code}
            onChange={(event) => setCode(event.target.value.toUpperCase())}
            slotProps={{ htmlInput: { maxLength: 40, style: { fontFamily: mono } } }}
          />
          <Button
            type="submit"
            variant="outlined"
            disabled={!code.trim() || take.isPending}
            sx={{ whiteSpace: "nowrap" }}
          >
            Add by code
          </Button>
        </Box>
        <RefusalRemark error={take.error} />
        <Loaded query={offered} rows={2}>
          {(rows) =>
            rows.length ? (
              <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0 }}>
                {rows.map((each) => (
                  <Offered
                    key={each.id}
                    each={each}
                    sealed={!!one.sealed_until}
                    busy={take.isPending}
                    add={() => add({ collection: each.id, code: "" })}
                  />
                ))}
              </Box>
            ) : (
              <Box sx={{ fontSize: "0.9rem", color: "text.secondary" }}>
                Your crews have no {one.beside.length ? "other " : ""}collection for this game.
              </Box>
            )
          }
        </Loaded>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}

function Offered({ each, sealed, busy, add }: { each: One; sealed: boolean; busy: boolean; add: () => void }) {
  const sums = sealed
    ? []
    : !each.mods && each.left_out.length
      ? ["nothing of it would be laid down here"]
      : [many(each.mods, "mod"), bytes(each.download), each.errands > 0 && many(each.errands, "errand")];
  return (
    <Box
      component="li"
      sx={{ display: "flex", gap: 1.25, alignItems: "flex-start", py: 1.25, borderTop: 1, borderColor: "divider" }}
    >
      <Emblem name={each.emblem} size={24} />
      <Box sx={{ flex: 1, minWidth: 0, fontSize: "0.9rem" }}>
        <strong>{each.name}</strong>{" "}
        <Box component="span" sx={{ fontFamily: mono, fontSize: "0.82rem" }}>
          {each.number}
        </Box>
        <Box sx={{ fontSize: "0.82rem", color: "text.secondary" }}>
          {[`by ${each.crew}`, ...(each.number ? sums : [])].filter(Boolean).join(", ")}
        </Box>
        <Box>{each.why || each.notes}</Box>
        {each.steps.length > 0 && (
          <Box sx={{ mt: 0.5 }}>
            To do by hand:
            <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
              {each.steps.map((step) => (
                <li key={step}>{step}</li>
              ))}
            </Box>
          </Box>
        )}
        <NotLaid rows={each.left_out} />
      </Box>
      <Button
        size="small"
        variant={each.mods || sealed ? "contained" : "outlined"}
        disabled={busy || !each.number}
        onClick={add}
        aria-label={`Add ${each.name}`}
      >
        Add
      </Button>
    </Box>
  );
}
