// Begin a pack with what one wants to play: a pasted list or a folder's listing. The table says which base has most of it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Radio from "@mui/material/Radio";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { Refused, type Shape } from "../../api/client";
import { filesOf, type ListedFile, listing } from "../../api/files";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many } from "../../parts/words";
import type { BaseChoice } from "../BaseFields";
import type { With } from "./useStarting";

type Found = Shape["BeginningOut"];

interface Props {
  how: With;
  found: Found | null;
  base: BaseChoice;
  choose: (base: BaseChoice) => void;
  askList: (text: string) => Promise<void>;
  askFolder: (data: Blob) => Promise<void>;
}

export function Beginning({ how, found, base, choose, askList, askFolder }: Props) {
  const [error, setError] = useState<Refused | null>(null);
  const [doing, setDoing] = useState("");
  const run = async (what: string, ask: () => Promise<void>) => {
    setError(null);
    setDoing(what);
    try {
      await ask();
    } catch (refused) {
      setError(refused instanceof Refused ? refused : null);
    }
    setDoing("");
  };
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {how === "list" ? (
        <List ask={(text) => run("Looking for each of them", () => askList(text))} />
      ) : (
        <Folder
          ask={(files) =>
            run("Hashing here", async () => {
              const stop = new AbortController();
              const tell = (count: number) => setDoing(`Hashing here: ${count} of ${files.length}`);
              await askFolder(await listing(files, tell, stop.signal));
            })
          }
        />
      )}
      {doing && (
        <Box role="status">
          {doing}
          <LinearProgress sx={{ mt: 0.5 }} aria-label={doing} />
        </Box>
      )}
      <RefusalRemark error={error} />
      {found && <WhatItComesTo found={found} base={base} choose={choose} />}
    </Box>
  );
}

function List({ ask }: { ask: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <>
      <TextField
        label="Mods, one a line: names or links"
        multiline
        minRows={4}
        maxRows={12}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      <Box>
        <Button variant="outlined" disabled={!text.trim()} onClick={() => ask(text)}>
          Which base has them?
        </Button>
      </Box>
    </>
  );
}

function Folder({ ask }: { ask: (files: ListedFile[]) => void }) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <Box
      onDragOver={(event) => event.preventDefault()}
      onDrop={async (event) => {
        event.preventDefault();
        ask((await filesOf(event.dataTransfer.items)).folder);
      }}
      sx={{ border: "1px dashed", borderColor: "text.secondary", p: 2 }}
    >
      <Typography variant="body2" sx={{ mb: 1 }}>
        Drop the game's folder, or the one with the mods, here. It is read on this machine: nothing but names and hashes
        leaves it.
      </Typography>
      <Button variant="outlined" size="small" onClick={() => picker.current?.click()}>
        Choose it…
      </Button>
      <input
        ref={picker}
        type="file"
        hidden
        aria-label="The folder"
        // @ts-expect-error: browsers know it, React's types do not
        webkitdirectory=""
        onChange={(event) =>
          ask([...(event.target.files ?? [])].map((file) => ({ path: file.webkitRelativePath, file })))
        }
      />
    </Box>
  );
}

function WhatItComesTo(props: { found: Found; base: BaseChoice; choose: (base: BaseChoice) => void }) {
  const { found, base, choose } = props;
  if (!found.mods.length)
    return <Remark tone="warning">None of it is known here. The pack can begin empty, or with another list.</Remark>;
  return (
    <>
      <Typography variant="body2">
        {many(found.mods.length, "mod")} known
        {found.unknown.length > 0 &&
          `; not known: ${found.unknown.slice(0, 8).join(", ")}${found.unknown.length > 8 ? " and more" : ""}`}
        . The pack begins with them on the base that you choose.
      </Typography>
      <Box role="radiogroup" aria-label="Base" sx={{ borderBottom: 1, borderColor: "divider" }}>
        {found.bases.map((one) => {
          const value = { game_version: one.game_version, loader: one.loader, loader_version: one.loader_version };
          const chosen = value.game_version === base.game_version && value.loader === base.loader;
          return (
            <Box
              key={one.label}
              component="label"
              sx={{
                display: "flex",
                gap: 1,
                alignItems: "center",
                borderTop: 1,
                borderColor: "divider",
                cursor: "pointer",
                bgcolor: chosen ? "background.paper" : undefined,
              }}
            >
              <Radio size="small" checked={chosen} onChange={() => choose(value)} />
              <Box sx={{ width: 250 }}>{one.label}</Box>
              <Box sx={{ width: 110, fontWeight: 600 }}>
                {one.fits} of {found.mods.length}
              </Box>
              <Typography variant="body2" sx={{ color: "text.secondary", flex: 1 }}>
                {[
                  one.through > 0 && `${one.through} by a counterpart`,
                  one.missing.length > 0 &&
                    `not: ${one.missing.slice(0, 4).join(", ")}${one.missing.length > 4 ? "…" : ""}`,
                ]
                  .filter(Boolean)
                  .join("; ")}
              </Typography>
            </Box>
          );
        })}
      </Box>
    </>
  );
}
