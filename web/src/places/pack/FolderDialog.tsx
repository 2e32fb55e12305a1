// Taking over a folder that somebody filled by hand: what of it is known, what is not, what only lies about.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import LinearProgress from "@mui/material/LinearProgress";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState } from "react";
import { Refused, type Shape } from "../../api/client";
import { type ListedFile, listing, readFolder } from "../../api/files";
import { Copy } from "../../parts/Copy";
import { Unfit } from "../../parts/marks";
import { Empty, RefusalRemark } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";
import type { Editing } from "./useEditing";

type Read = Shape["TakeOverOut"];
type Found = Shape["FoundOut"];

interface Props {
  packId: string;
  editing: Editing;
  close: () => void;
  /** What was dropped already: a folder's files, or a listing or ZIP as it is. */
  given?: ListedFile[] | Blob;
}

export function FolderDialog({ packId, editing, close, given }: Props) {
  const [doing, setDoing] = useState<{ what: string; share: number } | null>(null);
  const [refused, setRefused] = useState<Refused | null>(null);
  const [read, setRead] = useState<Read | null>(null);
  const [left, setLeft] = useState<Set<string>>(new Set());
  const [hold, setHold] = useState(false);
  const stop = useRef(new AbortController());
  const begun = useRef(false);
  const look = async (what: ListedFile[] | Blob) => {
    setRefused(null);
    setRead(null);
    try {
      const tell = (count: number) =>
        setDoing({
          what: `Hashing here: ${count} of ${(what as ListedFile[]).length}`,
          share: count / (what as ListedFile[]).length,
        });
      const data = what instanceof Blob ? what : await listing(what, tell, stop.current.signal);
      const sent = (share: number) =>
        setDoing({ what: share < 1 ? "Sending" : "Holding it against the catalogue", share });
      const told = await readFolder(packId, data, sent, stop.current.signal);
      setLeft(new Set(told.found.filter((one) => one.comes_along).map((one) => one.mod)));
      setRead(told);
    } catch (error) {
      setRefused(error instanceof Refused ? error : null);
    }
    setDoing(null);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was dropped is read once, when the dialog opens
  useEffect(() => {
    if (given && !begun.current) look(given);
    begun.current = true;
  }, []);
  const put = () => {
    stop.current.abort();
    close();
  };
  const fresh = read?.found.filter((one) => !one.already && !one.reason) ?? [];
  const wanted = fresh.filter((one) => !left.has(one.mod));
  return (
    <Dialog open onClose={put} maxWidth="md" fullWidth aria-labelledby="folder-title">
      <DialogTitle id="folder-title">Take over a folder</DialogTitle>
      <DialogContent sx={{ minHeight: 300, pb: 1 }}>
        {!read && !doing && <WaysToGive look={look} />}
        {doing && (
          <Box sx={{ py: 2 }} role="status">
            {doing.what}
            <LinearProgress variant="determinate" value={doing.share * 100} sx={{ mt: 1 }} aria-label={doing.what} />
          </Box>
        )}
        <RefusalRemark error={refused} />
        {read && (
          <WhatItComesTo
            read={read}
            left={left}
            toggle={(mod) => {
              const next = new Set(left);
              if (!next.delete(mod)) next.add(mod);
              setLeft(next);
            }}
          />
        )}
      </DialogContent>
      <DialogActions>
        {read && fresh.length > 0 && (
          <FormControlLabel
            sx={{ mr: "auto", ml: 1 }}
            control={<Switch size="small" checked={hold} onChange={(_, on) => setHold(on)} />}
            label="Hold each at the build that the folder has"
            slotProps={{ typography: { variant: "body2" } }}
          />
        )}
        <Button onClick={put}>{doing ? "Stop" : "Close"}</Button>
        {read && (
          <Button
            variant="contained"
            disabled={wanted.length === 0}
            onClick={() => {
              editing.edit({ do: "take over", hold, builds: wanted.map(({ mod, version }) => ({ mod, version })) });
              put();
            }}
          >
            Take over {many(wanted.length, "mod")}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function WaysToGive({ look }: { look: (what: ListedFile[] | Blob) => void }) {
  const chosen = (files: FileList | null) =>
    files?.length && look([...files].map((file) => ({ path: file.webkitRelativePath, file })));
  return (
    <Box component="ol" sx={{ m: 0, pl: 2.5, "& li": { mb: 2 }, lineHeight: 1.6 }}>
      <li>
        <strong>Choose the game's folder here.</strong> Its files are hashed in this browser; only names, sizes and
        hashes are sent.
        <Box>
          <Button variant="contained" component="label" size="small" sx={{ mt: 0.5 }}>
            Choose a folder
            <input
              type="file"
              hidden
              ref={(element) => element?.setAttribute("webkitdirectory", "")}
              onChange={(event) => chosen(event.target.files)}
            />
          </Button>
        </Box>
      </li>
      <li>
        <strong>Or list it with the agent,</strong> which is faster for many gigabytes, and give the listing:
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", my: 0.5 }}>
          <Box component="code" sx={{ fontFamily: mono, fontSize: "0.85rem" }}>
            convoy scan FOLDER --out listing.json
          </Box>
          <Copy text="convoy scan FOLDER --out listing.json" />
        </Box>
      </li>
      <li>
        <strong>Or give a ZIP of the folder,</strong> or a list of checksums as <code>sha256sum</code> writes it.
        <Box>
          <Button variant="outlined" component="label" size="small" sx={{ mt: 0.5 }}>
            Listing, checksums or ZIP
            <input type="file" hidden onChange={(event) => event.target.files?.[0] && look(event.target.files[0])} />
          </Button>
        </Box>
      </li>
    </Box>
  );
}

function WhatItComesTo({ read, left, toggle }: { read: Read; left: Set<string>; toggle: (mod: string) => void }) {
  const { found, doubles, remnants, strangers, left_over } = read;
  if (!found.length && !strangers.length && !left_over.length) {
    return (
      <Empty title="There is nothing of a pack in it">
        {many(read.others, "file")}, none of them in a folder where the game keeps mods. Was it the game's folder?
      </Empty>
    );
  }
  return (
    <>
      <Part title="Recognised" count={found.length} says="Whatever the folder is called: by what is in it.">
        {found.map((one) => (
          <FoundRow key={one.mod} one={one} on={!left.has(one.mod)} toggle={() => toggle(one.mod)} />
        ))}
      </Part>
      <Part
        title="Twice"
        count={doubles.length}
        says="The whole and newest copy is taken over; these would clash with it."
      >
        {doubles.map((one) => (
          <Line key={one.place} name={one.name} version={one.version} place={one.place} />
        ))}
      </Part>
      <Part
        title="Not known"
        count={read.strangers_in_all}
        says="No source has these bytes. Drop the archive onto the pack to make it one of your own builds."
      >
        {strangers.map((one) => (
          <Line key={one.place} place={one.place}>
            {many(one.files, "file")}, {bytes(one.size)}
          </Line>
        ))}
      </Part>
      <Part title="Remnants" count={remnants.length} says="Too little of a mod to be one. Best left behind.">
        {remnants.map((one) => (
          <Line key={one.place + one.mod} name={one.name} version={one.version} place={one.place}>
            {one.files} of {one.files + one.missing + one.altered.length} files
          </Line>
        ))}
      </Part>
      <Part
        title="Left over"
        count={read.left_over_in_all}
        says="It lies where mods lie, and the game does not load it."
      >
        {left_over.map((path) => (
          <Line key={path} place={path} />
        ))}
      </Part>
      <Box sx={{ color: "text.secondary", fontSize: "0.88rem", mt: 1.5 }}>
        {many(read.others, "other file")} outside of the folders that packs look after: the game's and the member's own.
      </Box>
    </>
  );
}

function Part(props: { title: string; count: number; says: string; children: React.ReactNode }) {
  if (props.count === 0) return null;
  return (
    <Box component="section" aria-label={props.title} sx={{ mb: 2 }}>
      <Typography variant="h3">
        {props.title}: {props.count}
      </Typography>
      <Box sx={{ color: "text.secondary", fontSize: "0.85rem", mb: 0.5 }}>{props.says}</Box>
      {props.children}
    </Box>
  );
}

function FoundRow({ one, on, toggle }: { one: Found; on: boolean; toggle: () => void }) {
  const can = !one.already && !one.reason;
  const changed = [
    one.altered.length && `${many(one.altered.length, "file")} altered (${one.altered.slice(0, 2).join(", ")})`,
    one.missing && `${many(one.missing, "file")} missing`,
  ].filter(Boolean);
  return (
    <Box sx={{ display: "flex", alignItems: "center", borderTop: 1, borderColor: "divider", minHeight: 34 }}>
      <Checkbox
        size="small"
        checked={on && can}
        disabled={!can}
        onChange={toggle}
        slotProps={{ input: { "aria-label": `Take over ${one.name}` } }}
        sx={{ p: 0.5, mr: 0.5 }}
      />
      <Box sx={{ flex: 1, minWidth: 0, py: 0.5 }}>
        <Line bare name={one.name} version={one.version} place={one.place}>
          {one.already ? "in the draft already" : one.comes_along && "comes along with what needs it"}
        </Line>
        {one.reason && (
          <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
            <Unfit reason={one.reason} />
          </Box>
        )}
        {changed.length > 0 && (
          <Box sx={{ fontSize: "0.85rem" }}>
            <Box component="span" sx={{ color: "warning.main", fontWeight: 600 }}>
              ◆ not as published:
            </Box>{" "}
            {changed.join(", ")}. The pack takes the published build.
          </Box>
        )}
      </Box>
    </Box>
  );
}

function Line(props: { name?: string; version?: string; place: string; bare?: boolean; children?: React.ReactNode }) {
  return (
    <Box
      sx={{
        display: "flex",
        gap: 1,
        alignItems: "baseline",
        flexWrap: "wrap",
        py: props.bare ? 0 : 0.5,
        borderTop: props.bare ? 0 : 1,
        borderColor: "divider",
      }}
    >
      {props.name && <strong>{props.name}</strong>}
      {props.version && <span style={{ fontFamily: mono, fontSize: "0.82rem" }}>{props.version}</span>}
      <Box
        component="span"
        sx={{ fontFamily: mono, fontSize: "0.8rem", color: "text.secondary", overflowWrap: "anywhere" }}
      >
        {props.place}
      </Box>
      <Box component="span" sx={{ ml: "auto", color: "text.secondary", fontSize: "0.85rem" }}>
        {props.children}
      </Box>
    </Box>
  );
}
