// The pack's own files, laid over everything: dropped as files or as a ZIP, edited in place, each with who and when.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { lazy, Suspense, useState } from "react";
import { useParams } from "react-router";
import { api, type Shape, told } from "../../../api/client";
import { layOwnFile } from "../../../api/files";
import { useChange, useDraft, useOwnFiles, useOwnText, useOwnVersions, usePack } from "../../../api/queries";
import { Empty, Loaded, RefusalRemark } from "../../../parts/notices";
import { bytes, many, when } from "../../../parts/words";
import { mono } from "../../../theme";
import { LastEdit } from "../LastEdit";
import { type Editing, useEditing } from "../useEditing";

const TextEditor = lazy(() => import("./TextEditor"));

type OwnFile = Shape["OwnFileOut"];

export default function OwnFiles() {
  const { packId = "" } = useParams();
  const files = useOwnFiles(packId);
  const may = usePack(packId).data?.role !== "member";
  const editing = useEditing(packId);
  const [open, setOpen] = useState<string | null>(null);
  return (
    <>
      <LastEdit editing={editing} />
      {may && <Dropping packId={packId} write={() => setOpen("")} />}
      {open === "" && <NewText packId={packId} close={() => setOpen(null)} />}
      <Loaded query={files}>
        {(own) =>
          own.files.length === 0 ? (
            <Empty title="The pack has no files of its own">
              Settings, a picture for the loading screen, a file that replaces one of a mod: what lies here is laid over
              everything, for everybody.
            </Empty>
          ) : (
            <>
              <Box sx={{ fontSize: "0.88rem", color: "text.secondary", mb: 0.5 }}>
                {many(own.files.length, "file")}, {bytes(own.size)}
              </Box>
              {own.files.map((file) => (
                <Row
                  key={file.path}
                  packId={packId}
                  file={file}
                  may={may}
                  editing={editing}
                  open={open === file.path}
                  setOpen={(on) => setOpen(on ? file.path : null)}
                />
              ))}
            </>
          )
        }
      </Loaded>
    </>
  );
}

function Dropping({ packId, write }: { packId: string; write: () => void }) {
  const draft = useDraft(packId).data;
  const [folder, setFolder] = useState("");
  const [unpack, setUnpack] = useState(true);
  const lay = useChange(
    async (files: File[]) => {
      let revision = draft?.revision ?? 0;
      for (const file of files) {
        const zip = unpack && file.name.toLowerCase().endsWith(".zip");
        revision = (await layOwnFile(packId, revision, folder, file, zip)).revision;
      }
    },
    ["pack", packId],
  );
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="New own files"
      sx={{ p: 1.5, mb: 2, borderStyle: "dashed" }}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        lay.mutate([...event.dataTransfer.files]);
      }}
    >
      <Box sx={{ display: "flex", gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <Button component="label" variant="contained" disabled={lay.isPending || !draft}>
          {lay.isPending ? "Laying it down …" : "Lay files down"}
          <input
            type="file"
            multiple
            hidden
            onChange={(event) => {
              lay.mutate([...(event.target.files ?? [])]);
              event.target.value = "";
            }}
          />
        </Button>
        <Button onClick={write}>Write a text</Button>
        <TextField
          label="In the folder"
          placeholder="the game's own"
          value={folder}
          onChange={(event) => setFolder(event.target.value)}
          sx={{ width: 240 }}
          slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: "0.85rem" } } }}
        />
        <FormControlLabel
          control={<Checkbox size="small" checked={unpack} onChange={(_, on) => setUnpack(on)} />}
          label="A ZIP is unpacked"
        />
        <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>or drop them here</Box>
      </Box>
      <RefusalRemark error={lay.error} />
    </Paper>
  );
}

interface RowProps {
  packId: string;
  file: OwnFile;
  may: boolean;
  editing: Editing;
  open: boolean;
  setOpen: (on: boolean) => void;
}

function Row({ packId, file, may, editing, open, setOpen }: RowProps) {
  return (
    <Box component="article" aria-label={file.path} sx={{ borderTop: 1, borderColor: "divider", py: 0.5 }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline", flexWrap: "wrap" }}>
        <Box sx={{ fontFamily: mono, fontSize: "0.85rem", flex: 1, minWidth: 220, overflowWrap: "anywhere" }}>
          {file.path}
        </Box>
        <Box sx={{ fontSize: "0.85rem", color: "text.secondary" }}>
          {bytes(file.size)} · {file.by}, {when(file.at)}
        </Box>
        <Button
          size="small"
          aria-expanded={open}
          aria-label={`${open ? "Close" : "Open"} ${file.path}`}
          onClick={() => setOpen(!open)}
        >
          {open ? "Close" : "Open"}
        </Button>
        {may && (
          <Button
            size="small"
            aria-label={`Take away ${file.path}`}
            disabled={editing.pending}
            onClick={() => editing.edit({ do: "own files", remove: [file.path] })}
          >
            Take away
          </Button>
        )}
      </Box>
      {open && <Opened packId={packId} file={file} may={may} editing={editing} />}
    </Box>
  );
}

function Opened({ packId, file, may, editing }: Omit<RowProps, "open" | "setOpen">) {
  const text = useOwnText(packId, file.is_text ? file.sha256 : "");
  const versions = useOwnVersions(packId, file.path).data ?? [];
  return (
    <Box sx={{ pb: 1 }}>
      {file.is_text ? (
        <Loaded query={text} rows={4}>
          {(found) => <Edited packId={packId} path={file.path} text={found.text} may={may} />}
        </Loaded>
      ) : (
        <Box sx={{ fontSize: "0.88rem", color: "text.secondary" }}>It is no text that can be edited here.</Box>
      )}
      {versions.length > 1 && (
        <Box component="details" sx={{ fontSize: "0.88rem", mt: 0.5 }}>
          <summary>What lay here before</summary>
          {versions.slice(1).map((one) => (
            <Box key={one.revision} sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
              {one.sha256 ? `${bytes(one.size)}, ${one.sha256.slice(0, 8)}` : "nothing"} · {one.by}, {when(one.at)}
              {may && one.sha256 && one.sha256 !== file.sha256 && (
                <Button
                  size="small"
                  sx={{ py: 0 }}
                  onClick={() => editing.edit({ do: "own files", add: { [file.path]: one.sha256 } })}
                >
                  Lay this one down again
                </Button>
              )}
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}

function Edited({ packId, path, text, may }: { packId: string; path: string; text: string; may: boolean }) {
  const [now, setNow] = useState(text);
  const write = useWriting(packId);
  return (
    <>
      <Suspense fallback={<Box sx={{ height: 182 }} aria-busy="true" />}>
        <TextEditor label={`Text of ${path}`} text={text} readOnly={!may} changed={setNow} />
      </Suspense>
      {may && (
        <Button
          size="small"
          variant="contained"
          sx={{ mt: 1 }}
          disabled={now === text || write.isPending}
          onClick={() => write.mutate({ path, text: now })}
        >
          Keep this text
        </Button>
      )}
      <RefusalRemark error={write.error} />
    </>
  );
}

function useWriting(packId: string) {
  const revision = useDraft(packId).data?.revision ?? 0;
  return useChange(
    (body: { path: string; text: string }) =>
      told(
        api.PUT("/api/packs/{pack_id}/own-files/text", {
          params: { path: { pack_id: packId } },
          body: { revision, ...body },
        }),
      ),
    ["pack", packId],
  );
}

function NewText({ packId, close }: { packId: string; close: () => void }) {
  const [path, setPath] = useState("");
  const [text, setText] = useState("");
  const write = useWriting(packId);
  return (
    <Paper variant="outlined" component="section" aria-label="A new text" sx={{ p: 1.5, mb: 2 }}>
      <Typography variant="h3" sx={{ mb: 1 }}>
        A new text
      </Typography>
      <TextField
        label="Path below the game's folder"
        placeholder="config/rules.toml"
        value={path}
        onChange={(event) => setPath(event.target.value)}
        sx={{ mb: 1, maxWidth: 480 }}
        slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: "0.85rem" } } }}
      />
      <Suspense fallback={<Box sx={{ height: 182 }} aria-busy="true" />}>
        <TextEditor label="Text of the new file" text="" readOnly={false} changed={setText} />
      </Suspense>
      <RefusalRemark error={write.error} />
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button
          variant="contained"
          size="small"
          disabled={!path.trim() || write.isPending}
          onClick={() => write.mutate({ path: path.trim(), text }, { onSuccess: close })}
        >
          Lay it down
        </Button>
        <Button size="small" onClick={close}>
          Leave it
        </Button>
      </Box>
    </Paper>
  );
}
