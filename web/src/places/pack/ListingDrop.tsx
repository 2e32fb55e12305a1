// Compare by listing: a folder hashed here, or a list of checksums. Names and hashes leave this machine, nothing else.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import { api, type Refused, type Shape, told } from "../../api/client";
import { type ListedFile, listing, sendForm } from "../../api/files";
import { queryClient, useChange } from "../../api/queries";
import { StateMark } from "../../parts/marks";
import { RefusalRemark, Remark } from "../../parts/notices";
import { many } from "../../parts/words";

type Row = Shape["CalledRow"];

export function ListingDrop({ packId, rows }: { packId: string; rows: Row[] }) {
  const [doing, setDoing] = useState("");
  const [error, setError] = useState<Refused | null>(null);
  const [row, setRow] = useState<Row | null>(null);
  const folder = useRef<HTMLInputElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const stop = useRef(new AbortController());
  const mine = rows.find((each) => each.mine && each.by_listing);
  const forget = useChange(
    (installation_id: string) =>
      told(
        api.DELETE("/api/packs/{pack_id}/listing/{installation_id}", {
          params: { path: { pack_id: packId, installation_id } },
        }),
      ),
    ["pack", packId],
  );
  const send = async (make: () => Promise<Blob>) => {
    setError(null);
    setRow(null);
    try {
      const data = await make();
      setDoing("Comparing");
      setRow(await sendForm<Row>(`/api/packs/${packId}/listing`, { file: data }));
      queryClient.invalidateQueries({ queryKey: ["pack", packId] });
    } catch (problem) {
      if ((problem as Error).name !== "AbortError") setError(problem as Refused);
    } finally {
      setDoing("");
    }
  };
  const chosenFolder = (list: FileList | null) => {
    const files: ListedFile[] = [...(list ?? [])].map((each) => ({ path: each.webkitRelativePath, file: each }));
    stop.current = new AbortController();
    if (files.length)
      send(() =>
        listing(files, (count) => setDoing(`${count} of ${many(files.length, "file")} hashed`), stop.current.signal),
      );
  };
  return (
    <Box component="details" sx={{ mt: 2, fontSize: "0.9rem", "& summary": { cursor: "pointer" } }}>
      <summary>Without the agent: compare a folder by its listing</summary>
      <Box sx={{ mt: 1, maxWidth: 720, display: "grid", gap: 1 }}>
        <Box sx={{ color: "text.secondary" }}>
          Choose your game's folder: it is hashed in this browser, and only names and hashes are sent. Or hand in what{" "}
          <code>sha256sum</code> or <code>convoy scan</code> wrote. Either gives you the row that an agent would.
        </Box>
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap" }}>
          <Button size="small" variant="outlined" disabled={!!doing} onClick={() => folder.current?.click()}>
            Choose a folder
          </Button>
          <Button size="small" variant="outlined" disabled={!!doing} onClick={() => file.current?.click()}>
            Hand in a listing
          </Button>
          {doing && (
            <>
              <span role="status">{doing}</span>
              <Button size="small" onClick={() => stop.current.abort()}>
                Stop
              </Button>
            </>
          )}
          {mine && !doing && (
            <Button size="small" color="error" onClick={() => forget.mutate(mine.installation)}>
              Take my listing out again
            </Button>
          )}
        </Box>
        <input
          ref={folder}
          type="file"
          hidden
          aria-label="Folder to compare"
          {...{ webkitdirectory: "" }}
          onChange={(event) => chosenFolder(event.target.files)}
        />
        <input
          ref={file}
          type="file"
          hidden
          aria-label="Listing to compare"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            if (chosen) send(async () => chosen);
            event.target.value = "";
          }}
        />
        <RefusalRemark error={error ?? forget.error} />
        {row && (
          <Remark tone={row.standing.state === "in step" ? "primary" : "warning"}>
            <StateMark {...row.standing} /> Compared with release {row.release}: fingerprint{" "}
            <code>{row.fingerprint}</code>,{" "}
            {row.fingerprint === row.wanted ? "as released" : `the release's is ${row.wanted}`}.
            {row.standing.differences.map((each) => (
              <div key={each.sentence}>{each.sentence}</div>
            ))}
          </Remark>
        )}
      </Box>
    </Box>
  );
}
