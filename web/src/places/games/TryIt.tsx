// A profile tried on the spot: drop an archive of a mod, or the game's folder, and see what it makes of it.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { api, Refused, type Shape, told } from "../../api/client";
import { filesOf, type ListedFile, sendForm } from "../../api/files";
import { RefusalRemark } from "../../parts/notices";
import { bytes, many } from "../../parts/words";
import { mono } from "../../theme";

type Tried = { folder?: Shape["TriedFolderOut"]; archive?: Shape["TriedArchiveOut"]; name: string };

export function TryIt({ text, usable }: { text: string; usable: boolean }) {
  const [tried, setTried] = useState<Tried[]>([]);
  const [over, setOver] = useState(false);
  const [refused, setRefused] = useState<Refused | null>(null);
  const archive = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const look = async (files: File[], listed: ListedFile[]) => {
    setRefused(null);
    try {
      const found: Tried[] = [];
      for (const file of files.slice(0, 10)) {
        const said = await sendForm<Shape["TriedArchiveOut"]>("/api/games/tries/archive", { text, archive: file });
        found.push({ name: file.name, archive: said });
      }
      if (listed.length) {
        // The folder itself is the game's: paths begin below it.
        const top = listed[0].path.split("/")[0];
        const rows = listed.map(({ path, file }): [string, number] => [path.split("/").slice(1).join("/"), file.size]);
        const said = await told(api.POST("/api/games/tries/folder", { body: { text, files: rows } }));
        found.push({ name: top, folder: said });
      }
      setTried(found);
    } catch (error) {
      setRefused(error instanceof Refused ? error : null);
    }
  };
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Typography variant="h3">Try it</Typography>
      <Box
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={async (event) => {
          event.preventDefault();
          setOver(false);
          const given = await filesOf(event.dataTransfer.items);
          look(given.files, given.folder);
        }}
        sx={{ border: "1px dashed", borderColor: over ? "primary.main" : "text.secondary", p: 2 }}
      >
        <Typography variant="body2" sx={{ mb: 1 }}>
          {usable
            ? "Drop an archive of a mod here, or the game's folder: what would be recognised, and where everything would go."
            : "Once nothing is wrong any more, an archive or the game's folder can be tried here."}
        </Typography>
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button size="small" variant="outlined" disabled={!usable} onClick={() => archive.current?.click()}>
            An archive…
          </Button>
          <Button size="small" variant="outlined" disabled={!usable} onClick={() => folder.current?.click()}>
            A folder…
          </Button>
        </Box>
        <input
          ref={archive}
          type="file"
          hidden
          multiple
          accept=".zip"
          aria-label="Archives to try"
          onChange={(event) => look([...(event.target.files ?? [])], [])}
        />
        <input
          ref={folder}
          type="file"
          hidden
          aria-label="A folder to try"
          // @ts-expect-error: browsers know it, React's types do not
          webkitdirectory=""
          onChange={(event) =>
            look(
              [],
              [...(event.target.files ?? [])].map((file) => ({ path: file.webkitRelativePath, file })),
            )
          }
        />
      </Box>
      <RefusalRemark error={refused} />
      {tried.map((one) => (
        <Box key={one.name} sx={{ fontSize: "0.875rem" }} role="status">
          <Typography variant="h3" component="p" sx={{ fontFamily: mono, fontSize: "0.85rem" }}>
            {one.name}
          </Typography>
          {one.archive && <OfArchive found={one.archive} />}
          {one.folder && <OfFolder found={one.folder} />}
        </Box>
      ))}
    </Box>
  );
}

function OfArchive({ found }: { found: Shape["TriedArchiveOut"] }) {
  const wrong = [found.trouble, ...found.refused].filter(Boolean);
  if (wrong.length) return <Box sx={{ color: "error.main" }}>▬ {wrong.join(" ")}</Box>;
  const known = found.kinds.filter((one) => one.recognised);
  return (
    <>
      {!known.length && (
        <Box sx={{ color: "warning.main" }}>
          ◆ Nothing in it says what it is: somebody has to say so for each build.
        </Box>
      )}
      {(known.length ? known.slice(0, 1) : found.kinds).map((one) => (
        <Box key={one.kind} sx={{ mt: 0.5 }}>
          <strong>
            {known.length ? "● " : ""}As {known.length > 1 ? known.map((each) => each.kind).join(" or ") : one.kind}:
          </strong>{" "}
          {one.why || `${many(one.files, "file")} ${one.root ? `from “${one.root.replace(/\/$/, "")}”` : ""}`}
          {one.notes.map((note) => (
            <Box key={note} sx={{ color: "text.secondary" }}>
              {note}
            </Box>
          ))}
          <Box component="ul" sx={{ m: 0, pl: 2, fontFamily: mono, fontSize: "0.78rem", overflowWrap: "anywhere" }}>
            {one.placed.slice(0, known.length ? 12 : 3).map((each) => (
              <li key={each.path}>
                {each.path}
                {each.is_settings && <strong> settings</strong>}
              </li>
            ))}
          </Box>
        </Box>
      ))}
    </>
  );
}

function OfFolder({ found }: { found: Shape["TriedFolderOut"] }) {
  return (
    <>
      {found.shares.map((one) => (
        <Box key={one.role}>
          <strong>{one.role}</strong>: {many(one.files, "file")}, {bytes(one.size)}
          <Box sx={{ fontFamily: mono, fontSize: "0.78rem", color: "text.secondary", overflowWrap: "anywhere" }}>
            {one.paths.slice(0, 4).join(" · ")}
          </Box>
        </Box>
      ))}
      {found.loaded.length > 0 && <Box>Taken for mods: {found.loaded.map((one) => one.folder).join(", ")}.</Box>}
      {found.unmarked.length > 0 && (
        <Box sx={{ color: "warning.main" }}>◆ Without their marker, so not loaded: {found.unmarked.join(", ")}.</Box>
      )}
    </>
  );
}
