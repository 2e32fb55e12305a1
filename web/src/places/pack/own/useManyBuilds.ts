// Many archives at once, on their way to being the crew's own builds: each is looked through, a table fills what is
// unknown, and all of them are made in one go.
import { useRef, useState } from "react";
import { api, Refused, type Shape, told } from "../../../api/client";
import { dropFile, knownFile, lookedThrough, sendFile } from "../../../api/files";

type Pack = Shape["PackOut"];
type Dropped = Shape["DroppedOut"];

export interface BuildRow {
  file: string;
  state: "waits" | "looking" | "known" | "to fill" | "refused" | "made";
  /** Why it cannot be, or which build of a source it is. */
  told: string;
  /** The mod that it is, where a source has it or once it is made. */
  mod: string;
  dropped?: Dropped;
  name: string;
  version: string;
  kind: string;
  licence: string;
  page: string;
}

export interface ForAll {
  licence: string;
  page: string;
  games: string;
  loader: string;
  side: Shape["Side"];
  reach: Shape["Reach"];
}

const BATCH = 50;

export function useManyBuilds(pack: Pack) {
  const { base } = pack;
  const [rows, setRows] = useState<BuildRow[]>([]);
  const [forAll, setForAll] = useState<ForAll>({
    licence: "",
    page: "",
    games: `=${base.game_version}`,
    loader: base.loader,
    side: "both",
    reach: "crew",
  });
  const [busy, setBusy] = useState("");
  const [error, setError] = useState<Refused | null>(null);
  const stop = useRef(new AbortController());
  const put = (at: number, what: Partial<BuildRow>) =>
    setRows((before) => before.map((one, each) => (each === at ? { ...one, ...what } : one)));
  const guarded = async (what: string, run: () => Promise<void>) => {
    setError(null);
    setBusy(what);
    try {
      await run();
    } catch (refused) {
      setError(refused instanceof Refused ? refused : null);
    }
    setBusy("");
  };
  return {
    rows,
    put,
    forAll,
    say: (what: Partial<ForAll>) => setForAll({ ...forAll, ...what }),
    busy,
    error,
    stop: () => stop.current.abort(),
    ready: rows.filter(isReady),
    takeFiles: (files: File[]) =>
      guarded("Looking through them", async () => {
        setRows(files.map((one) => empty(one.name)));
        for (const [at, file] of files.entries()) {
          if (stop.current.signal.aborted) return;
          put(at, { state: "looking" });
          try {
            const known = await knownFile(pack.id, file);
            put(at, known ? asKnown(known) : seen(await dropFile(pack.id, file, () => {}, stop.current.signal)));
          } catch (refused) {
            put(at, { state: "refused", told: refused instanceof Refused ? refused.message : "It was not sent." });
          }
        }
      }),
    takeZip: (file: File) =>
      guarded("Sending the ZIP, and looking through what is in it", async () => {
        const found = await sendFile<Dropped[]>(
          `/api/packs/${pack.id}/files/many`,
          file,
          (share) => setBusy(`Sending the ZIP: ${Math.round(share * 100)} %`),
          stop.current.signal,
        );
        setRows(found.map((one) => ({ ...empty(one.name), ...seen(one) })));
      }),
    make: () =>
      guarded("Making builds of them", async () => {
        const ready = rows.flatMap((one, at) => (isReady(one) ? [{ one, at }] : []));
        for (let start = 0; start < ready.length; start += BATCH) {
          const part = ready.slice(start, start + BATCH);
          for (const { one } of part) {
            const far = (share: number) => setBusy(`Looking through ${one.file}: ${Math.round(share * 100)} %`);
            if (one.dropped) await lookedThrough(pack.id, one.dropped, far);
          }
          setBusy("Making builds of them");
          const builds = part.map(({ one }) => said(one, forAll));
          const made = await told(
            api.POST("/api/packs/{pack_id}/own-builds/many", {
              params: { path: { pack_id: pack.id } },
              body: { builds },
            }),
          );
          made.forEach((result, each) => {
            put(part[each].at, result.mod ? { state: "made", mod: result.mod, told: "" } : { told: result.trouble });
          });
        }
      }),
  };
}

const isReady = (one: BuildRow) => one.state === "to fill" && !!one.name && !!one.version && !!one.kind;

const empty = (file: string): BuildRow => ({
  file,
  state: "waits",
  told: "",
  mod: "",
  name: "",
  version: "",
  kind: "",
  licence: "",
  page: "",
});

const asKnown = (known: Shape["KnownOut"]): Partial<BuildRow> => ({
  state: "known",
  mod: known.already ? "" : known.mod,
  told: `${known.name} ${known.version}, from its source${known.already ? "; in the draft already" : ""}`,
});

/** `lamp-post-1.2.zip` says what it is where no marker does. */
const NAMED = /^(.+?)[-_ ]v?(\d[\w.+]*)$/;

function seen(dropped: Dropped): Partial<BuildRow> {
  if (dropped.known) return asKnown(dropped.known);
  const wrong = dropped.trouble || dropped.refused.map((one) => `${one.path} ${one.why}`.trim()).join(" ");
  const fitting = dropped.kinds.filter((one) => one.fits);
  if (wrong || !fitting.length)
    return {
      state: "refused",
      told: wrong || dropped.kinds.flatMap((one) => one.notes)[0] || "The game would not see it.",
    };
  const bare =
    dropped.name
      .split("/")
      .at(-1)
      ?.replace(/\.\w+$/, "") ?? dropped.name;
  const named = NAMED.exec(bare);
  return {
    state: "to fill",
    dropped,
    told: dropped.doubt,
    name: dropped.says_name || (named?.[1] ?? bare),
    version: dropped.says_version || (named?.[2] ?? ""),
    kind: dropped.doubt ? "" : fitting[0].kind,
  };
}

function said(one: BuildRow, forAll: ForAll): Shape["OwnBuildIn"] {
  return {
    sha256: one.dropped?.sha256 ?? "",
    of: "",
    name: one.name,
    version: one.version,
    kind: one.kind as Shape["Kind"],
    licence: one.licence || forAll.licence,
    page: one.page || forAll.page,
    summary: "",
    side: forAll.side,
    reach: forAll.reach,
    games: forAll.games,
    loader: forAll.loader,
    needs: "",
    touches: "",
    // Without a marker the archive's top is what is laid down; with one, the rules find it.
    root: one.dropped?.doubt ? "" : null,
  };
}
