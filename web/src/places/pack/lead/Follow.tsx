// What to follow: a pack of one's crews, a page's address, or a file.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refused, type Shape, told } from "../../../api/client";
import { sendFile } from "../../../api/files";
import { useChange, usePacks } from "../../../api/queries";
import { RefusalRemark } from "../../../parts/notices";
import { Pick } from "../../../parts/Pick";

export function Follow({ pack }: { pack: Shape["PackOut"] }) {
  const others = (usePacks().data ?? []).filter(
    (one) => one.id !== pack.id && one.base.game === pack.base.game && !one.suits,
  );
  const [lead, setLead] = useState("");
  const [address, setAddress] = useState("");
  const follow = useChange(
    ({ where, what }: { where: "releases" | "draft" | "address"; what: string }) =>
      told(
        api.POST("/api/packs/{pack_id}/lead", {
          params: { path: { pack_id: pack.id } },
          body: { where, lead: what, begun: false },
        }),
      ),
    ["pack", pack.id],
  );
  return (
    <Box sx={{ display: "grid", gap: 2.5, maxWidth: 620 }}>
      <Box>
        <Typography variant="h3">A pack of your crews</Typography>
        <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
          <Box sx={{ flex: 1, minWidth: 220 }}>
            <Pick
              label="Which pack"
              value={lead}
              options={[
                { value: "", name: others.length ? "choose one" : "none for this game" },
                ...others.flatMap((one) => [
                  ...(one.newest_release
                    ? [{ value: `releases ${one.id}`, name: `${one.name} (${one.crew}), its releases` }]
                    : []),
                  { value: `draft ${one.id}`, name: `${one.name} (${one.crew}), its draft` },
                ]),
              ]}
              onChange={setLead}
            />
          </Box>
          <Button
            variant="contained"
            disabled={!lead || follow.isPending}
            onClick={() => {
              const [where, what] = lead.split(" ");
              follow.mutate({ where: where as "releases" | "draft", what });
            }}
          >
            Follow it
          </Button>
        </Box>
      </Box>
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          follow.mutate({ where: "address", what: address.trim() });
        }}
      >
        <Typography variant="h3">A pack’s page, here or on another site</Typography>
        <Box sx={{ display: "flex", gap: 1, mt: 1, flexWrap: "wrap" }}>
          <TextField
            label="Address of the page"
            type="url"
            required
            placeholder="https://…/p/quiet-canals"
            value={address}
            onChange={(event) => setAddress(event.target.value)}
            helperText="Its signed release is fetched, and the keys that signed it are pinned."
            sx={{ flex: 1, minWidth: 260 }}
          />
          <Button type="submit" variant="contained" disabled={follow.isPending} sx={{ alignSelf: "flex-start" }}>
            Follow this
          </Button>
        </Box>
      </Box>
      <Box>
        <Typography variant="h3" sx={{ mb: 1 }}>
          A file
        </Typography>
        <NextFile packId={pack.id} first />
      </Box>
      <RefusalRemark error={follow.error} />
    </Box>
  );
}

/** A pack as a file: the first one that is followed, or the next of the same keys. */
export function NextFile({ packId, first }: { packId: string; first?: boolean }) {
  const client = useQueryClient();
  const [refused, setRefused] = useState<Refused | null>(null);
  const [busy, setBusy] = useState(false);
  const send = async (file: File) => {
    setBusy(true);
    setRefused(null);
    try {
      const at = `/api/packs/${packId}/lead/file?name=${encodeURIComponent(file.name.slice(0, 100))}`;
      await sendFile(at, file, () => {}, new AbortController().signal);
      await client.invalidateQueries({ queryKey: ["pack", packId] });
    } catch (error) {
      if (error instanceof Refused) setRefused(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Box>
      <Button component="label" variant="outlined" size="small" disabled={busy}>
        {first ? "Follow a pack in a file" : "Its next file"}
        <input
          type="file"
          accept=".zip"
          hidden
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) send(file);
          }}
        />
      </Button>
      <RefusalRemark error={refused} />
    </Box>
  );
}
