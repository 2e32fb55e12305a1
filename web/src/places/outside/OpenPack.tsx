// A pack that came as a file: dropped, looked into, and made a pack of one of one's crews.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, Refused, type Shape, told } from "../../api/client";
import { sendFile } from "../../api/files";
import { isMaking, useOpening } from "../../api/outside";
import { useChange, useMe } from "../../api/queries";
import { Loaded, RefusalRemark, Remark } from "../../parts/notices";
import { Pick } from "../../parts/Pick";
import { many } from "../../parts/words";
import { mono } from "../../theme";

export default function OpenPack() {
  const me = useMe();
  return (
    <Box sx={{ maxWidth: 760, mx: "auto", p: { xs: 1.5, sm: 3 } }}>
      <Typography variant="h1" sx={{ mb: 1 }}>
        Open a pack from a file
      </Typography>
      <Loaded query={me}>{(who) => <Given crews={who.crews.filter((one) => one.role !== "member")} />}</Loaded>
    </Box>
  );
}

function Given({ crews }: { crews: Shape["CrewOut"][] }) {
  const [search, setSearch] = useSearchParams();
  const [crew, setCrew] = useState(crews[0]?.id ?? "");
  const opening = search.get("opening") ?? "";
  if (!crews.length)
    return (
      <Remark tone="info">
        A pack belongs to a crew, and you curate none. <Link to="/">Start a crew</Link> first.
      </Remark>
    );
  if (opening) return <Looked id={opening} again={() => setSearch({})} />;
  return (
    <>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 2 }}>
        Nothing is trusted that its hash does not prove, and you see what is in it before anything is made.
      </Typography>
      <Box sx={{ maxWidth: 320, mb: 2 }}>
        <Pick
          label="For the crew"
          value={crew}
          options={crews.map((one) => ({ value: one.id, name: one.name }))}
          onChange={setCrew}
        />
      </Box>
      <Drop crew={crew} took={(id) => setSearch({ opening: id })} />
    </>
  );
}

function Drop({ crew, took }: { crew: string; took: (id: string) => void }) {
  const [share, setShare] = useState<number | null>(null);
  const [refused, setRefused] = useState<Refused | null>(null);
  const [over, setOver] = useState(false);
  const stop = useRef<AbortController | null>(null);
  const chosen = useRef<HTMLInputElement>(null);
  const send = async (file: File | undefined) => {
    if (!file) return;
    stop.current = new AbortController();
    setRefused(null);
    setShare(0);
    try {
      const found = await sendFile<Shape["OpeningOut"]>(
        `/api/crews/${crew}/openings`,
        file,
        setShare,
        stop.current.signal,
      );
      took(found.id);
    } catch (error) {
      if (error instanceof Refused) setRefused(error);
    } finally {
      setShare(null);
    }
  };
  return (
    <>
      <Box
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          send(event.dataTransfer.files[0]);
        }}
        sx={{
          border: "2px dashed",
          borderColor: over ? "primary.main" : "divider",
          borderRadius: 1,
          p: 4,
          textAlign: "center",
        }}
      >
        {share === null ? (
          <>
            <Typography sx={{ mb: 1 }}>Drop the file here</Typography>
            <Button variant="outlined" onClick={() => chosen.current?.click()}>
              Choose it
            </Button>
            <input
              ref={chosen}
              type="file"
              hidden
              aria-label="A pack as a file"
              accept=".zip"
              onChange={(event) => send(event.target.files?.[0])}
            />
          </>
        ) : (
          <>
            <Typography sx={{ mb: 1 }}>{share < 1 ? "Sending it" : "Looking into it"}</Typography>
            <LinearProgress
              variant={share < 1 ? "determinate" : "indeterminate"}
              value={share * 100}
              aria-label="Sent"
            />
            <Button sx={{ mt: 1 }} onClick={() => stop.current?.abort()}>
              Stop
            </Button>
          </>
        )}
      </Box>
      <Box sx={{ mt: 2 }}>
        <RefusalRemark error={refused} />
      </Box>
    </>
  );
}

function Looked({ id, again }: { id: string; again: () => void }) {
  const opening = useOpening(id);
  return <Loaded query={opening}>{(one) => <Found one={one} again={again} />}</Loaded>;
}

function Found({ one, again }: { one: Shape["OpeningOut"]; again: () => void }) {
  const [name, setName] = useState(one.pack_name);
  const open = useChange(
    () => told(api.POST("/api/openings/{opening_id}", { params: { path: { opening_id: one.id } }, body: { name } })),
    ["opening", one.id],
    ["packs"],
  );
  const making = one.begun && isMaking(one);
  return (
    <>
      <Typography variant="h2">
        {one.pack_name} {one.number}
      </Typography>
      <Typography variant="body2" sx={{ color: "text.secondary", mb: 2 }}>
        {one.base} · fingerprint <code>{one.fingerprint}</code>
      </Typography>
      {one.mark ? (
        <Remark tone="info" live={false}>
          Signed by the key <span style={{ fontFamily: mono }}>{one.mark}</span>. Compare it with the one that whoever
          gave you the file sees in their crew.
        </Remark>
      ) : (
        <Remark tone="warning" live={false}>
          <strong>Nobody can tell who made it.</strong> {one.doubt}
        </Remark>
      )}
      {one.notes && <Typography sx={{ whiteSpace: "pre-wrap", my: 2 }}>{one.notes}</Typography>}
      <Box sx={{ my: 2 }}>
        {one.game && (
          <Typography sx={{ mb: 1.5 }}>
            <strong>{one.game}</strong> is no game of this site yet. Its profile comes along, and becomes your crew's.
          </Typography>
        )}
        <Group title="This site's sources have" names={one.known} />
        <Group title="Comes along, and becomes your crew's own" names={one.comes} />
        {one.missing.length > 0 && (
          <Box component="section" sx={{ mb: 1.5 }}>
            <strong>Cannot be had here: {one.missing.length}</strong>
            <Box component="ul" sx={{ m: 0, pl: 2.5, fontSize: "0.92rem" }}>
              {one.missing.map((each) => (
                <li key={each.name}>
                  {each.page ? (
                    <a href={each.page} rel="noreferrer">
                      {each.name}
                    </a>
                  ) : (
                    each.name
                  )}{" "}
                  {each.version}. {each.why}
                </li>
              ))}
            </Box>
            <Typography variant="body2" sx={{ color: "text.secondary" }}>
              They become lines without a build: find other builds, or leave them out.
            </Typography>
          </Box>
        )}
        <Typography variant="body2">
          {[
            one.own_files > 0 && many(one.own_files, "own file"),
            one.settings > 0 && many(one.settings, "setting"),
            one.steps > 0 && many(one.steps, "step by hand", "steps by hand"),
          ]
            .filter(Boolean)
            .join(", ")}
        </Typography>
      </Box>
      {one.state === "done" && one.pack ? (
        <>
          <Remark tone="primary">
            <strong>The pack is here.</strong> {one.told}
          </Remark>
          <Button variant="contained" component={Link} to={`/packs/${one.pack}/assemble`} sx={{ mt: 2 }}>
            Go to the pack
          </Button>
        </>
      ) : making ? (
        <Box>
          <Typography sx={{ mb: 1 }}>Making the pack</Typography>
          <LinearProgress aria-label="Making the pack" />
        </Box>
      ) : (
        <Box
          component="form"
          sx={{ display: "grid", gap: 1.5, maxWidth: 420 }}
          onSubmit={(event) => {
            event.preventDefault();
            open.mutate(undefined);
          }}
        >
          {one.told && <Remark tone="error">{one.told}</Remark>}
          <TextField
            label="Name it here"
            required
            value={name}
            onChange={(event) => setName(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 60 } }}
          />
          <RefusalRemark error={open.error} />
          <Box sx={{ display: "flex", gap: 1 }}>
            <Button type="submit" variant="contained" disabled={open.isPending || !name.trim()}>
              Make it a pack of the crew
            </Button>
            <Button onClick={again}>Another file</Button>
          </Box>
        </Box>
      )}
    </>
  );
}

const SHOWN = 30;

function Group({ title, names }: { title: string; names: string[] }) {
  if (!names.length) return null;
  return (
    <Box component="section" sx={{ mb: 1.5 }}>
      <strong>
        {title}: {names.length}
      </strong>
      <Box sx={{ fontSize: "0.92rem", color: "text.secondary" }}>
        {names.slice(0, SHOWN).join(", ")}
        {names.length > SHOWN && `, and ${names.length - SHOWN} more`}
      </Box>
    </Box>
  );
}
