// What a pack's people have to sign before anybody gets it. Nothing shows where the site's keys are enough.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { useChange, useToSign } from "../../api/queries";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many } from "../../parts/words";
import { SignedFile } from "./SignedFile";

export function ToSign({ packId, may }: { packId: string; may: boolean }) {
  const waiting = useToSign(packId).data;
  const [done, setDone] = useState("");
  const drop = useChange(
    () => told(api.DELETE("/api/packs/{pack_id}/to-sign", { params: { path: { pack_id: packId } } })),
    ["pack", packId],
  );
  if (!waiting || (!waiting.waits && !waiting.older.length))
    return done ? (
      <Box sx={{ mb: 2 }}>
        <Remark tone="primary">{done}</Remark>
      </Box>
    ) : null;
  const { waits, older } = waiting;
  return (
    <Box sx={{ mb: 2 }}>
      <Remark tone="warning" live={false}>
        {waits && (
          <div>
            <strong>
              Release {waits.number} waits for {many(waits.needed - waits.signed, "signature")}.
            </strong>{" "}
            {waits.made_by} put it together; {waits.signed} of {waits.needed} have signed. Nobody gets it before.
          </div>
        )}
        {older.length > 0 && (
          <div>
            <strong>{many(older.length, "earlier release has", "earlier releases have")} to be signed anew</strong>, as
            other keys sign now: {older.slice(-6).join(", ")}
            {older.length > 6 && " and more"}.
          </div>
        )}
        {may && (
          <>
            <SignedFile<Shape["PublishedOut"]>
              address={`/api/packs/${packId}/to-sign/file`}
              take="Take what is to be signed"
              bring="Bring it signed"
              command="convoy key sign to-sign.json --key my.key"
              may
              about={[["pack", packId], ["packs"], ["crew"]]}
              brought={(told) =>
                setDone(told.number ? `Release ${told.number} is signed and published.` : "The signatures were taken.")
              }
            />
            {waits && (
              <Button size="small" color="error" disabled={drop.isPending} onClick={() => drop.mutate()}>
                Give up release {waits.number}
              </Button>
            )}
          </>
        )}
        {done && <div>{done}</div>}
        <RefusalRemark error={drop.error} />
      </Remark>
    </Box>
  );
}
