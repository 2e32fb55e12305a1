// A pack that is being started: what is said of it so far, and the starting.
import { useState } from "react";
import { api, type Shape, told } from "../../api/client";
import { sendEdits, useChange, usePacks } from "../../api/queries";
import { type BaseChoice, firstBase } from "../BaseFields";

export const NEW_CREW = "new";

export type Along = Record<"holds" | "notes" | "tweaks" | "steps", boolean>;

export function useStarting(games: Shape["GameOut"][], crews: Shape["CrewOut"][]) {
  const curated = crews.filter((one) => one.role !== "member");
  const [game, setGame] = useState(games[0]);
  const [base, setBase] = useState<BaseChoice>(firstBase(game));
  const [crew, setCrew] = useState(curated[0]?.id ?? NEW_CREW);
  const [crewName, setCrewName] = useState("");
  const [about, setAbout] = useState({ name: "", emblem: "anchor", group: "", notes: "" });
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
        begun ?? (await told(api.POST("/api/packs", { body: { crew: id, game: game.id, ...about, ...base } })));
      setBegun(made);
      const [pack, release] = from.split(" ");
      if (pack) await sendEdits(made.id, 0, [{ do: "copy lines", pack, release: release ?? "", ...along }], "keep");
      return made;
    },
    ["packs"],
    ["me"],
  );
  return {
    curated,
    game,
    chooseGame: (id: string) => {
      const next = games.find((one) => one.id === id) ?? game;
      setGame(next);
      setFrom("");
      setBase(firstBase(next));
    },
    base,
    setBase,
    crew,
    setCrew,
    crewName,
    setCrewName,
    about,
    say: (what: Partial<typeof about>) => setAbout({ ...about, ...what }),
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
    take: (what: Partial<Along>) => setAlong({ ...along, ...what }),
    begun,
    start,
  };
}
