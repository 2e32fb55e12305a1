// What the finder is asked, and what it found: the words, how it is narrowed down, in which order, which page.
import { useDeferredValue, useState } from "react";
import { type Search, useFinder, useGames, usePack } from "../../../api/queries";

export type Sort = NonNullable<Search["sort"]>;
export type Filters = Partial<
  Record<
    "game_version" | "loader" | "kind" | "category" | "pickup" | "licence" | "side" | "reach" | "channel" | "since",
    string
  >
>;

export type Finding = ReturnType<typeof useFinding>;

const PICTURED = "finder";

/** `needs`: a mod; only what needs it is looked for. */
export function useFinding(packId: string, needs: string) {
  const [text, setText] = useState("");
  const [filters, setFilters] = useState<Filters>({});
  const [sort, setSort] = useState<Sort>("best");
  const [fitting, setFitting] = useState(true);
  const [filtering, setFiltering] = useState(false);
  const [page, setPage] = useState(1);
  const [pictured, setPictured] = useState(() => localStorage.getItem(PICTURED) === "pictures");
  const asked = useDeferredValue(text);
  // Whoever asks what needs a mod asks anew: words that were typed before are not meant.
  const [askedFor, setAskedFor] = useState(needs);
  if (askedFor !== needs) {
    setAskedFor(needs);
    setText("");
    setPage(1);
  }
  const search = { ...filters, needs, text: asked.slice(0, 200), fitting_only: fitting, sort, page };
  const found = useFinder(packId, search);
  const filter = (name: string, value: string) => {
    setFilters({ ...filters, [name]: value });
    // What is made for another base than the draft's would not be shown with those that fit it alone.
    if (value && (name === "game_version" || name === "loader")) setFitting(false);
    setPage(1);
  };
  const base = usePack(packId).data?.base;
  const game = useGames().data?.find((one) => one.id === base?.game);
  const loaders = new Map(game?.versions.flatMap((one) => one.loaders.map((each) => [each.id, each.name] as const)));
  /** Changes what is asked, and begins at the first page again. */
  const asking =
    <T>(set: (value: T) => void) =>
    (value: T) => {
      set(value);
      setPage(1);
    };
  return {
    found,
    facets: found.data?.facets ?? [],
    versions: game?.versions ?? [],
    loaders,
    text,
    ask: asking(setText),
    sort,
    orderBy: asking(setSort),
    fitting,
    fitOnly: asking(setFitting),
    filters,
    filter,
    filtered: Object.values(filters).filter(Boolean).length,
    clear: () => asking(setFilters)({}),
    page,
    turn: setPage,
    filtering,
    showFilters: setFiltering,
    pictured,
    showPictures: (on: boolean) => {
      localStorage.setItem(PICTURED, on ? "pictures" : "rows");
      setPictured(on);
    },
  };
}
