// For a mod of a pack that is being played: the last build that keeps its worlds, found by trying each.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useLine } from "../../api/queries";
import { RefusalRemark } from "../../parts/notices";
import type { Editing } from "./useEditing";

export function KeepsWorld({ packId, line, editing }: { packId: string; line: Shape["LineOut"]; editing: Editing }) {
  const open = useLine(packId).data?.playthroughs.filter((one) => one.open && one.rule !== "anything") ?? [];
  const [asked, setAsked] = useState(false);
  const found = useQuery({
    queryKey: ["pack", packId, "keeps", line.mod, line.version],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/draft/keeps/{mod}", { params: { path: { pack_id: packId, mod: line.mod } } })),
    enabled: asked,
    retry: false,
  });
  if (!open.length) return null;
  const names = open.map((one) => one.name).join(", ");
  const best = found.data?.version || found.data?.now || "";
  return (
    <Box sx={{ mt: 1, fontSize: "0.88rem" }} aria-live="polite">
      {!found.data && (
        <Button size="small" variant="outlined" disabled={found.isFetching} onClick={() => setAsked(true)}>
          Last build that keeps our world
        </Button>
      )}
      {found.data && (
        <>
          <Box>
            <strong>{best}</strong> is the last build that keeps {names}
            {found.data.version ? "." : ": the one that is here."}
          </Box>
          {found.data.passed.map((one) => (
            <Box key={one.version} sx={{ color: "text.secondary" }}>
              Not {one.version}: {one.why}
            </Box>
          ))}
          {(!line.held || line.version !== best) && (
            <Button
              size="small"
              disabled={editing.pending}
              onClick={() =>
                editing.edit({ do: "hold", mod: line.mod, version: best, because: `the last that keeps ${names}` })
              }
            >
              Hold it at {best}
            </Button>
          )}
        </>
      )}
      <RefusalRemark error={found.error} />
    </Box>
  );
}
