// A pack that is being started: what is said of it so far, and the starting.
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { sendEdits } from "../../api/edits";
import { sendFile } from "../../api/files";
import { useChange, usePacks } from "../../api/queries";
import { type BaseChoice, firstBase } from "../BaseFields";
import type { Suits } from "../SuitsFields";

export const NEW_CREW = "new";

/** What a pack begins with. */
export type With = "nothing" | "list" | "folder" | "pack";

const ANY: Suits = { games: "*", loaders: {} };

export type Along = Record<"holds" | "notes" | "tweaks" | "steps", boolean>;

export function useStarting(games: Shape["GameOut"][], crews: Shape["CrewOut"][], how: With, as = "") {
  const curated = crews.filter((one) => one.role !== "member");
  const [game, setGame] = useState(games[0]);
  const [base, setBase] = useState<BaseChoice>(firstBase(game));
  const [crew, setCrew] = useState(curated[0]?.id ?? NEW_CREW);
  const [crewName, setCrewName] = useState("");
  const [follows, setFollows] = useState(false);
  const [suits, setSuits] = useState<Suits | null>(as === "collection" ? ANY : null);
  const [about, setAbout] = useState({ name: "", emblem: "anchor", group: "", notes: "" });
  const [begin, setBegin] = useState<With>(how);
  const [found, setFound] = useState<Shape["BeginningOut"] | null>(null);
  const [from, setFrom] = useState("");
  const [begun, setBegun] = useState<Shape["PackOut"] | null>(null);
  const [along, setAlong] = useState<Along>({ holds: true, notes: true, tweaks: true, steps: true });
  const others = (usePacks().data ?? []).filter((one) => one.base.game === game.id);
  const start = useChange(
    async () => {
      const id = crew === NEW_CREW ? (await told(api.POST("/api/crews", { body: { name: crewName } }))).id : crew;
      setCrew(id);
      // A second try, after taking over lines failed, goes on with the pack that the first one started.
      const made =
        begun ?? (await told(api.POST("/api/packs", { body: { crew: id, game: game.id, ...about, ...base, suits } })));
      setBegun(made);
      // What there is on the base that was chosen: those without a build there stay out, as the table says.
      const on = found?.bases.find((one) => one.game_version === base.game_version && one.loader === base.loader);
      const mods = on?.mods ?? found?.mods.map((one) => one.mod) ?? [];
      if ((begin === "list" || begin === "folder") && mods.length)
        await sendEdits(made.id, made.revision, [{ do: "add many", mods }], "keep");
      const [pack, release] = begin === "pack" ? from.split(" ") : [];
      if (pack) {
        await sendEdits(made.id, 0, [{ do: "copy lines", pack, release: release ?? "", ...along }], "keep");
        if (follows) {
          const body = { where: release ? ("releases" as const) : ("draft" as const), lead: pack, begun: true };
          await told(api.POST("/api/packs/{pack_id}/lead", { params: { path: { pack_id: made.id } }, body }));
        }
      }
      return made;
    },
    ["packs"],
    ["me"],
  );
  const known = (id: string) => (id === NEW_CREW ? null : id);
  /** What was found, and the base that has most of it. */
  const take = (what: Shape["BeginningOut"]) => {
    setFound(what);
    const best = what.bases[0];
    if (best && what.mods.length)
      setBase({ game_version: best.game_version, loader: best.loader, loader_version: best.loader_version });
  };
  return {
    curated,
    game,
    chooseGame: (id: string) => {
      const next = games.find((one) => one.id === id) ?? game;
      setGame(next);
      setFrom("");
      setFound(null);
      setBase(firstBase(next));
    },
    base,
    setBase,
    follows,
    setFollows,
    suits,
    setSuits,
    /** Between a pack, with a base of its own, and a collection. */
    makeIt: (what: "pack" | "collection") => setSuits(what === "collection" ? (suits ?? ANY) : null),
    crew,
    setCrew,
    crewName,
    setCrewName,
    about,
    say: (what: Partial<typeof about>) => setAbout({ ...about, ...what }),
    begin,
    beginWith: (next: With) => {
      setBegin(next);
      setFound(null);
    },
    found,
    askList: async (text: string) =>
      take(
        await told(
          api.POST("/api/games/{game_id}/beginning", {
            params: { path: { game_id: game.id } },
            body: { text, crew: known(crew) },
          }),
        ),
      ),
    askFolder: async (data: Blob) => {
      const about = known(crew) ? `?crew=${known(crew)}` : "";
      take(
        await sendFile<Shape["BeginningOut"]>(
          `/api/games/${game.id}/beginning/folder${about}`,
          data,
          () => {},
          new AbortController().signal,
        ),
      );
    },
    others,
    from,
    startFrom: (value: string) => {
      setFrom(value);
      const other = others.find((one) => value.startsWith(one.id))?.base;
      if (other) {
        setBase({ game_version: other.game_version, loader: other.loader, loader_version: other.loader_version });
      }
    },
    along,
    takeAlong: (what: Partial<Along>) => setAlong({ ...along, ...what }),
    begun,
    start,
  };
}
