// Join codes of a pack or collection: made, handed out as card, withdrawn.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, told } from "../../api/client";
import { useChange, useCodes, usePack } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { many } from "../../parts/words";

export function Codes({ packId }: { packId: string }) {
  const codes = useCodes(packId, true);
  const isCollection = !!usePack(packId).data?.suits;
  const [uses, setUses] = useState("");
  const make = useChange(
    () =>
      told(
        api.POST("/api/packs/{pack_id}/codes", {
          params: { path: { pack_id: packId } },
          body: { uses: uses ? Number(uses) : null },
        }),
      ),
    ["pack", packId, "codes"],
  );
  const withdraw = useChange(
    (code: string) =>
      told(api.DELETE("/api/packs/{pack_id}/codes/{code}", { params: { path: { pack_id: packId, code } } })),
    ["pack", packId, "codes"],
  );
  return (
    <Paper variant="outlined" component="section" sx={{ p: 2 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Join codes
      </Typography>
      <Loaded query={codes} rows={2}>
        {(list) => (
          <>
            {list.length === 0 && (
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                No code yet. A code lets somebody join the crew and{" "}
                {isCollection ? "take this up beside a pack of theirs" : "install this pack"}.
              </Typography>
            )}
            {list.map((one) => (
              <Box key={one.code} sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.5, flexWrap: "wrap" }}>
                <Box
                  component="code"
                  sx={{
                    fontSize: "1.15rem",
                    letterSpacing: "0.06em",
                    textDecoration: one.withdrawn ? "line-through" : undefined,
                  }}
                >
                  {one.code}
                </Box>
                <Box sx={{ flex: 1, fontSize: "0.85rem", color: "text.secondary", minWidth: 110 }}>
                  {one.withdrawn
                    ? "withdrawn"
                    : one.uses_left === null
                      ? "any number of uses"
                      : one.uses_left === 0
                        ? "used up"
                        : `${many(one.uses_left, "use")} left`}
                </Box>
                {!one.withdrawn && (
                  <>
                    <Copy text={one.code} />
                    <Copy text={`${window.location.origin}/join/${one.code}`} name="Copy address" />
                    <Link href={`/api/packs/${packId}/codes/${one.code}/card`} target="_blank" rel="noreferrer">
                      Card
                    </Link>
                    <Button
                      size="small"
                      color="error"
                      disabled={withdraw.isPending}
                      onClick={() => withdraw.mutate(one.code)}
                    >
                      Withdraw
                    </Button>
                  </>
                )}
              </Box>
            ))}
          </>
        )}
      </Loaded>
      <Box sx={{ display: "flex", gap: 1, mt: 1.5 }}>
        <TextField
          label="Uses"
          placeholder="any"
          value={uses}
          sx={{ width: 110 }}
          onChange={(event) => setUses(event.target.value.replace(/\D/g, "").slice(0, 4))}
        />
        <Button variant="outlined" disabled={make.isPending} onClick={() => make.mutate()}>
          Make a join code
        </Button>
      </Box>
      <RefusalRemark error={make.error ?? withdraw.error} />
    </Paper>
  );
}

/** A list at the side, with what stands in its place while it is empty. */
