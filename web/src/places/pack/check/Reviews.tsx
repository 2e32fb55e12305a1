// A second pair of eyes on what the crew's own builds claim: what they hold against it, and yes or no.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, type Shape, told } from "../../../api/client";
import { useChange, useReviews } from "../../../api/queries";
import { REACHES, SIDES } from "../../../parts/meanings";
import { RefusalRemark } from "../../../parts/notices";
import { when } from "../../../parts/words";
import { mono } from "../../../theme";

type Review = Shape["ReviewOut"];

/** Nothing where the crew does not ask for it: then claims are their uploader's word. */
export function Reviews({ packId, may }: { packId: string; may: boolean }) {
  const found = useReviews(packId).data;
  if (!found?.asked || !found.reviews.length) return null;
  const waiting = found.reviews.filter((one) => !one.agreed);
  const agreed = found.reviews.filter((one) => one.agreed);
  return (
    <Box component="section" aria-label="Claims to look at" sx={{ mb: 2.5 }}>
      <Typography variant="h2">
        Claims of own builds{" "}
        <Box component="span" sx={{ color: "text.secondary", fontSize: "0.9rem", fontWeight: 400 }}>
          {waiting.length ? `${waiting.length} to look at` : "all looked at"}
        </Box>
      </Typography>
      {waiting.map((one) => (
        <Waiting key={`${one.mod} ${one.version}`} packId={packId} one={one} may={may} />
      ))}
      {agreed.length > 0 && (
        <Box sx={{ fontSize: "0.86rem", color: "text.secondary", mt: 0.75 }}>
          Looked at: {agreed.map((one) => `${one.name} ${one.version} (${one.agreed_by})`).join(", ")}
        </Box>
      )}
    </Box>
  );
}

function Waiting({ packId, one, may }: { packId: string; one: Review; may: boolean }) {
  const [note, setNote] = useState(one.note);
  const say = useChange(
    (agrees: boolean) =>
      told(
        api.POST("/api/packs/{pack_id}/reviews", {
          params: { path: { pack_id: packId } },
          body: { mod: one.mod, version: one.version, side: one.side, reach: one.reach, agrees, note },
        }),
      ),
    ["pack", packId],
  );
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", py: 1.25, fontSize: "0.92rem" }}>
      <Box>
        <strong>{one.name}</strong>{" "}
        <Box component="span" sx={{ fontFamily: mono, fontSize: "0.84rem" }}>
          {one.version}
        </Box>{" "}
        claims that {one.claim}.
        <Box component="span" sx={{ color: "text.secondary" }}>
          {" "}
          {one.by ? `Uploaded by ${one.by}.` : "Nobody knows who uploaded it."}
        </Box>
      </Box>
      <Box sx={{ fontSize: "0.86rem", color: "text.secondary" }}>
        {SIDES[one.side]}; {REACHES[one.reach]}
      </Box>
      {one.against.length ? (
        <Box
          component="ul"
          aria-label={`What ${one.name} holds against it`}
          sx={{ m: 0, mt: 0.5, pl: 0, listStyle: "none" }}
        >
          {one.against.map((each) => (
            <li key={each}>
              <Box component="span" sx={{ color: "warning.main", fontWeight: 600 }}>
                ◆{" "}
              </Box>
              {each}
            </li>
          ))}
        </Box>
      ) : (
        <Box sx={{ mt: 0.5 }}>Nothing that it holds speaks against it.</Box>
      )}
      {one.refused_by && (
        <Box sx={{ mt: 0.5 }}>
          {one.refused_by} said no{one.at && ` ${when(one.at)}`}
          {one.note && `: ${one.note}`}
        </Box>
      )}
      {may && one.mine && (
        <Box sx={{ mt: 0.5, fontSize: "0.86rem", color: "text.secondary" }}>
          You uploaded it: another curator says whether it is so.
        </Box>
      )}
      {may && !one.mine && (
        <Box sx={{ display: "flex", gap: 1, mt: 1, alignItems: "flex-start", flexWrap: "wrap" }}>
          <Button size="small" variant="contained" disabled={say.isPending} onClick={() => say.mutate(true)}>
            It is so
          </Button>
          <TextField
            size="small"
            label={`Why not, of ${one.name}`}
            value={note}
            onChange={(event) => setNote(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 400 } }}
            sx={{ flex: 1, minWidth: 200 }}
          />
          <Button size="small" disabled={say.isPending || !note.trim()} onClick={() => say.mutate(false)}>
            It is not so
          </Button>
        </Box>
      )}
      <RefusalRemark error={say.error} />
    </Box>
  );
}
