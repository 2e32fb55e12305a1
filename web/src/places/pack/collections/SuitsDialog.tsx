// What a collection says that it suits; packs on other bases are told so when they take it up.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useState } from "react";
import { api, type Shape, told } from "../../../api/client";
import { useChange, useGames } from "../../../api/queries";
import { RefusalRemark } from "../../../parts/notices";
import { type Suits, SuitsFields } from "../../SuitsFields";

export function SuitsDialog({ pack, close }: { pack: Shape["PackOut"]; close: () => void }) {
  const game = useGames().data?.find((one) => one.id === pack.base.game);
  const [suits, setSuits] = useState<Suits>({ games: pack.suits?.games ?? "*", loaders: pack.suits?.loaders ?? {} });
  const keep = useChange(
    () => told(api.PATCH("/api/packs/{pack_id}", { params: { path: { pack_id: pack.id } }, body: { suits } })),
    ["pack", pack.id],
    ["packs"],
  );
  return (
    <Dialog open onClose={close} maxWidth="sm" fullWidth aria-labelledby="suits-title">
      <DialogTitle id="suits-title">What {pack.name} suits</DialogTitle>
      <DialogContent>
        <Box sx={{ pt: 1 }}>{game && <SuitsFields game={game} value={suits} onChange={setSuits} />}</Box>
        <Box sx={{ fontSize: "0.88rem", color: "text.secondary", my: 1 }}>
          It holds from the next release on. “Change base” shows on which bases its mods have builds.
        </Box>
        <RefusalRemark error={keep.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Not now</Button>
        <Button
          variant="contained"
          disabled={keep.isPending}
          onClick={() => keep.mutate(undefined, { onSuccess: close })}
        >
          Keep it so
        </Button>
      </DialogActions>
    </Dialog>
  );
}
