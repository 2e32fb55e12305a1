// Leaving the pack: its files go and mine stay, or everything stays; and taking the installation off the list.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, told } from "../../api/client";
import { isBusy, useChange } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many } from "../../parts/words";
import { type Page, useOrder } from "./asking";

const before = (count: number) =>
  count ? `${many(count, "file")} that lay there before joining stay or are put back. ` : "";

export function Leave({ one }: { one: Page }) {
  const [asked, setAsked] = useState(false);
  const order = useOrder(one.id);
  const go = useNavigate();
  const remove = useChange(
    () => told(api.DELETE("/api/installations/{installation_id}", { params: { path: { installation_id: one.id } } })),
    ["installations"],
    ["pack"],
  );
  const canLeave = one.release !== "" && one.watching && !one.by_listing;
  if (!asked)
    return (
      <Box>
        <Button size="small" color="error" disabled={isBusy(one.progress)} onClick={() => setAsked(true)}>
          {canLeave ? "Leave this pack" : "Take this installation off the list"}
        </Button>
      </Box>
    );
  const leave = (keep_all: boolean) => {
    order.mutate({ what: "leave", keep_all });
    setAsked(false);
  };
  return (
    <Remark tone="warning">
      {canLeave
        ? `Worlds, settings that you changed and files of your own stay in any case. ${before(one.had_before)}What was moved aside returns to its place, or lies with backups in a folder “Kept by True Convoy”.`
        : "It leaves your page and the roll call. Files on its machine stay as they are; “convoy leave” there takes the pack's away."}
      <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
        {canLeave ? (
          <>
            <Button size="small" variant="contained" color="error" onClick={() => leave(false)}>
              Take the pack's files away
            </Button>
            <Button size="small" variant="outlined" onClick={() => leave(true)}>
              Keep every file
            </Button>
          </>
        ) : (
          <Button
            size="small"
            variant="contained"
            color="error"
            onClick={() => remove.mutate(undefined, { onSuccess: () => go("/") })}
          >
            Take it off
          </Button>
        )}
        <Button size="small" onClick={() => setAsked(false)}>
          Stay
        </Button>
      </Box>
      <RefusalRemark error={order.error ?? remove.error} />
    </Remark>
  );
}
