// Leaving the pack: its files go and mine stay, or everything stays.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { isBusy } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { type Page, useOrder } from "./asking";

export function Leave({ one }: { one: Page }) {
  const [asked, setAsked] = useState(false);
  const order = useOrder(one.id);
  if (!one.release || !one.watching || one.by_listing) return null;
  if (!asked)
    return (
      <Box>
        <Button size="small" color="error" disabled={isBusy(one.progress)} onClick={() => setAsked(true)}>
          Leave this pack
        </Button>
      </Box>
    );
  const leave = (keep_all: boolean) => {
    order.mutate({ what: "leave", keep_all });
    setAsked(false);
  };
  return (
    <Remark tone="warning">
      Worlds, settings that you changed and files of your own stay in any case. What was moved aside returns to its
      place, or lies in a folder “Kept by True Convoy”.
      <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
        <Button size="small" variant="contained" color="error" onClick={() => leave(false)}>
          Take the pack's files away
        </Button>
        <Button size="small" variant="outlined" onClick={() => leave(true)}>
          Keep every file
        </Button>
        <Button size="small" onClick={() => setAsked(false)}>
          Stay
        </Button>
      </Box>
      <RefusalRemark error={order.error} />
    </Remark>
  );
}
