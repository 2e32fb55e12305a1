// A mod's picture, with its room kept while it comes, and a plain field where there is none.
import Box from "@mui/material/Box";
import { useState } from "react";

interface Props {
  packId: string;
  mod: string;
  name: string;
  number?: number;
  none?: boolean;
}

export function ModPicture({ packId, mod, name, number = 0, none }: Props) {
  const [failed, setFailed] = useState(false);
  const room = { aspectRatio: "16 / 9", width: "100%", display: "block", border: 1, borderColor: "divider" } as const;
  if (none || failed) {
    return (
      <Box sx={{ ...room, display: "grid", placeItems: "center", color: "text.secondary", fontSize: "0.85rem" }}>
        no picture
      </Box>
    );
  }
  return (
    <Box
      component="img"
      loading="lazy"
      alt={`Picture of ${name}`}
      src={`/api/packs/${packId}/mods/${encodeURIComponent(mod)}/pictures/${number}`}
      onError={() => setFailed(true)}
      sx={room}
    />
  );
}
