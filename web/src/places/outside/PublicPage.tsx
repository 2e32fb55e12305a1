// The pack's page for people without an account: whether there is one, where, and what it says.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { usePublicPage } from "../../api/outside";
import { useChange, useCodes } from "../../api/queries";
import { Copy } from "../../parts/Copy";
import { Loaded, RefusalRemark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { mono } from "../../theme";
import { Section } from "./Section";

export function PublicPage({ pack }: { pack: Shape["PackOut"] }) {
  const page = usePublicPage(pack.id);
  const may = pack.role !== "member";
  return (
    <Section
      title="A page for everybody"
      about="What it is, what is in it, its change logs and how to join, for people without an account. Nothing lists it."
    >
      <Loaded query={page} rows={3}>
        {(one) => (
          <>
            {one.on ? (
              <Box sx={{ mb: 1.5 }}>
                <Link
                  href={one.link}
                  target="_blank"
                  rel="noreferrer"
                  sx={{ fontFamily: mono, fontSize: "0.9rem", overflowWrap: "anywhere" }}
                >
                  {one.link}
                </Link>
                <Copy text={one.link} />
                <img
                  src={`/p/${one.address}/picture.png`}
                  alt="What is shown where the address is shared"
                  width={1200}
                  height={630}
                  style={{ display: "block", width: "100%", height: "auto", marginTop: 8 }}
                />
              </Box>
            ) : (
              !may && <Box sx={{ color: "text.secondary" }}>There is none.</Box>
            )}
            {may && <Settle key={String(one.on)} pack={pack} page={one} />}
          </>
        )}
      </Loaded>
    </Section>
  );
}

function Settle({ pack, page }: { pack: Shape["PackOut"]; page: Shape["PublicPageOut"] }) {
  const codes = (useCodes(pack.id, true).data ?? []).filter((one) => !one.withdrawn && one.uses_left !== 0);
  const [said, setSaid] = useState({ address: page.address, words: page.words, code: page.code });
  useEffect(() => setSaid({ address: page.address, words: page.words, code: page.code }), [page]);
  const change = useChange(
    (on: boolean) =>
      told(
        api.PUT("/api/packs/{pack_id}/public-page", {
          params: { path: { pack_id: pack.id } },
          body: { on, ...said },
        }),
      ),
    ["pack", pack.id, "public-page"],
  );
  return (
    <Box
      component="form"
      sx={{ display: "grid", gap: 1.5 }}
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(true);
      }}
    >
      <TextField
        label="Last part of its address"
        required
        value={said.address}
        error={!!change.error?.field("address")}
        helperText={
          change.error?.field("address") || "Small letters, digits and hyphens. Whoever knows it finds the page."
        }
        onChange={(event) => setSaid({ ...said, address: event.target.value.toLowerCase() })}
        slotProps={{ htmlInput: { maxLength: 60, style: { fontFamily: mono } } }}
      />
      <TextField
        label="What strangers read first"
        multiline
        minRows={2}
        maxRows={10}
        value={said.words}
        placeholder={pack.notes}
        helperText={!said.words && pack.notes ? "While it is empty, the pack's notes stand there." : undefined}
        onChange={(event) => setSaid({ ...said, words: event.target.value })}
      />
      <Pick
        label="How to join"
        value={said.code}
        options={[
          { value: "", name: "says to ask the crew" },
          ...codes.map((one) => ({ value: one.code, name: `shows the code ${one.code}` })),
        ]}
        onChange={(code) => setSaid({ ...said, code })}
      />
      <RefusalRemark error={change.error?.field("address") ? null : change.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant={page.on ? "outlined" : "contained"} disabled={change.isPending}>
          {page.on ? "Keep" : "Open the page"}
        </Button>
        {page.on && (
          <Button color="error" disabled={change.isPending} onClick={() => change.mutate(false)}>
            Close the page
          </Button>
        )}
      </Box>
    </Box>
  );
}
