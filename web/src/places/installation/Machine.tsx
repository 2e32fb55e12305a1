// My machine against the pack: the memory to set, disk, runtime; the fingerprint, and the key that is trusted.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { RefusalRemark } from "../../parts/notices";
import { bytes, gigabytes, many, when } from "../../parts/words";
import { FIELDS, type Name, wholeOrNothing } from "../crew/DefaultsForm";
import { type Page, useChoose } from "./asking";
import { Section } from "./Section";

export function Machine({ one }: { one: Page }) {
  const { fit } = one;
  const matches = one.fingerprint !== "" && one.fingerprint === one.wanted_fingerprint;
  return (
    <Section title="My machine" aside={one.heard_at ? `heard ${when(one.heard_at)}` : ""}>
      {fit.machine > 0 && fit.figure > 0 && <MemoryBar fit={fit} />}
      {fit.remarks.map((each) => (
        <Box key={each} sx={{ fontSize: "0.85rem", color: "warning.main", mb: 1 }}>
          {each}.
        </Box>
      ))}
      <Box
        component="dl"
        sx={{
          display: "grid",
          gridTemplateColumns: "auto 1fr",
          columnGap: 2,
          rowGap: 0.5,
          m: 0,
          fontSize: "0.9rem",
          "& dt": { color: "text.secondary" },
          "& dd": { m: 0, overflowWrap: "anywhere" },
        }}
      >
        {one.base && (
          <>
            <dt>Base</dt>
            <dd>{one.base}</dd>
          </>
        )}
        {fit.machine > 0 && (
          <>
            <dt>Disk</dt>
            <dd>{bytes(fit.disk_free)} free</dd>
          </>
        )}
        {fit.runtime && (
          <>
            <dt>Runtime</dt>
            <dd>
              {fit.runtime} wanted
              {fit.runtimes.length ? `, ${fit.runtimes.join(" and ")} here` : ", not said what is here"}
            </dd>
          </>
        )}
        <dt>Fingerprint</dt>
        <dd>
          <code>{one.fingerprint || "none yet"}</code>
          {one.fingerprint && (matches ? " · matches" : ` · the pack's is ${one.wanted_fingerprint}`)}
        </dd>
        <dt>Signing key</dt>
        <dd>
          <code>{one.key}</code>
        </dd>
      </Box>
      {!one.by_listing && <Holds one={one} />}
    </Section>
  );
}

function MemoryBar({ fit }: { fit: Page["fit"] }) {
  const share = (mb: number) => `${Math.min(100, (100 * mb) / fit.machine)}%`;
  return (
    <Box sx={{ mb: 1.25 }}>
      <Box sx={{ fontSize: "0.9rem", mb: 0.5 }}>
        {fit.over ? (
          <>
            It starts with {gigabytes(fit.minimum)} at the least; this machine can give{" "}
            <strong>{gigabytes(fit.ceiling)}</strong>
          </>
        ) : (
          <>
            Give the game <strong>{fit.figure} MB</strong> of this machine's {gigabytes(fit.machine)}
          </>
        )}
      </Box>
      <Box
        role="img"
        aria-label={`The pack needs ${gigabytes(fit.minimum)}, better ${gigabytes(fit.recommended)}; ${gigabytes(fit.ceiling)} is the most that it can give`}
        sx={{ position: "relative", height: 14, border: 1, borderColor: "text.secondary" }}
      >
        <Box
          sx={{
            position: "absolute",
            inset: 0,
            width: share(fit.figure),
            bgcolor: fit.obstacles.length ? "error.main" : fit.remarks.length ? "warning.main" : "primary.main",
          }}
        />
        {[
          ["minimum", fit.minimum],
          ["ceiling", fit.ceiling],
        ].map(([name, mb]) => (
          <Box
            key={name}
            sx={{
              position: "absolute",
              left: share(mb as number),
              top: -3,
              bottom: -3,
              borderLeft: "2px solid",
              borderColor: "text.primary",
            }}
          />
        ))}
      </Box>
      <Box sx={{ fontSize: "0.78rem", color: "text.secondary", mt: 0.5 }}>
        Marks: {gigabytes(fit.minimum)} is the least it starts with, {gigabytes(fit.ceiling)} the most that this machine
        can give
      </Box>
    </Box>
  );
}

/** Memory, line and backups: what holds here, where that comes from, and saying otherwise for this installation. */
function Holds({ one }: { one: Page }) {
  const choose = useChoose(one.id);
  const [texts, setTexts] = useState<Partial<Record<Name, string>>>({});
  const { line_kb, most_mb, memory_share, kept_backups } = one.holds;
  const said = FIELDS.filter(({ name }) => texts[name] !== undefined && wholeOrNothing(texts[name]) !== null);
  return (
    <Box component="details" sx={{ mt: 1, fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
      <summary>
        My line: {line_kb.value ? `${line_kb.value} KB/s at most` : "as fast as it goes"}
        {most_mb.value > 0 && `, ask above ${most_mb.value} MB`} · {memory_share.value} % of memory ·{" "}
        {many(kept_backups.value, "backup")}
      </summary>
      <Box
        component="form"
        sx={{ display: "grid", gap: 1.5, mt: 1.5 }}
        onSubmit={(event) => {
          event.preventDefault();
          choose.mutate(Object.fromEntries(said.map(({ name }) => [name, wholeOrNothing(texts[name] ?? "")])), {
            onSuccess: () => setTexts({}),
          });
        }}
      >
        {FIELDS.map(({ name, label }) => {
          const holds = one.holds[name];
          const here = holds.source === "this installation";
          return (
            <Box key={name} sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
              <TextField
                label={label}
                value={texts[name] ?? String(holds.value)}
                onChange={(event) => setTexts({ ...texts, [name]: event.target.value.replace(/\D/g, "").slice(0, 9) })}
                sx={{ width: 250 }}
                slotProps={{ htmlInput: { inputMode: "numeric" } }}
              />
              <Box component="span" sx={{ color: "text.secondary" }}>
                {here ? "said here" : `from ${holds.source}`}
              </Box>
              {here && (
                <Button
                  size="small"
                  disabled={choose.isPending}
                  onClick={() => choose.mutate({ as_default: [name] }, { onSuccess: () => setTexts({}) })}
                >
                  As elsewhere
                </Button>
              )}
            </Box>
          );
        })}
        <Box>
          <Button type="submit" variant="outlined" disabled={!said.length || choose.isPending}>
            Keep for this installation
          </Button>
        </Box>
      </Box>
      <RefusalRemark error={choose.error} />
    </Box>
  );
}
