// What the screens read and do. Keys begin with what they are about, so that one change refreshes all that hangs on it.
import {
  keepPreviousData,
  QueryClient,
  queryOptions,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { api, Refused, type Shape, told } from "./client";
import type { paths } from "./schema";

const LIVE = 1_500;
const CALM = 5_000;
/** Of what is large, and of whose changes is heard otherwise: others' edits by the list of edits. */
const STEADY = 30_000;
/** While files are being read. */
const READING = 2_000;

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2_000,
      retry: (count, error) => count < 2 && error instanceof Refused && error.status === 0,
    },
  },
});

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => told(api.GET("/api/me")), staleTime: 60_000 });

export const useGames = () =>
  useQuery({ queryKey: ["games"], queryFn: () => told(api.GET("/api/games")), staleTime: 300_000 });

export const usePacks = () => useQuery({ queryKey: ["packs"], queryFn: () => told(api.GET("/api/packs")) });

export const useMachines = () => useQuery({ queryKey: ["machines"], queryFn: () => told(api.GET("/api/machines")) });

const of = (pack_id: string) => ({ params: { path: { pack_id } } });

export const usePack = (id: string) => useQuery(packQuery(id));

export const useLine = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "line"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/line", of(id))),
    // Somebody who syncs moves along the line while one looks.
    refetchInterval: (query) => (query.state.data?.people.some((one) => one.busy) ? LIVE : CALM),
  });

const packQuery = (id: string) =>
  queryOptions({ queryKey: ["pack", id], queryFn: () => told(api.GET("/api/packs/{pack_id}", of(id))) });

const draftQuery = (id: string) =>
  queryOptions({
    queryKey: ["pack", id, "draft"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft", of(id))),
  });

/** Asks for a pack and its draft as soon as the address says which: before the place that shows them is there. */
export function askForPack(id: string): null {
  queryClient.prefetchQuery(packQuery(id));
  queryClient.prefetchQuery(draftQuery(id));
  return null;
}

export const useDraft = (id: string) => useQuery({ ...draftQuery(id), refetchInterval: STEADY, enabled: id !== "" });

/** `when`: what costs the site much waits for what one looks at first. */
export const useFindings = (id: string, when = true) =>
  useQuery({
    enabled: when,
    queryKey: ["pack", id, "findings"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/findings", of(id))),
    refetchInterval: (query) => (query.state.data?.reading ? READING : false),
  });

/** A finding's evidence and ways; `mark` changes with what it rests on. */
export const useFinding = (id: string, finding: string, mark: string) =>
  useQuery({
    queryKey: ["pack", id, "findings", "one", finding, mark],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/finding", { params: { path: { pack_id: id }, query: { finding } } })),
    retry: false,
  });

/** The ways to mend a finding, each rehearsed; `mark` changes with what it rests on. */
export const useWays = (id: string, finding: string, mark: string) =>
  useQuery({
    queryKey: ["pack", id, "findings", "ways", finding, mark],
    queryFn: () => told(api.POST("/api/packs/{pack_id}/findings/ways", { ...of(id), body: { finding } })),
    retry: false,
  });

const isTrying = (state: Shape["MakingState"]) => state === "waits" || state === "working";

export const useTrials = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "trials"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/trials", of(id))),
    refetchInterval: (query) => (query.state.data?.trials.some((one) => isTrying(one.state)) ? LIVE : false),
  });

export const useTrial = (pack_id: string, trial_id: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "trials", trial_id],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/trials/{trial_id}", { params: { path: { pack_id, trial_id } } })),
    refetchInterval: (query) => (query.state.data && isTrying(query.state.data.state) ? LIVE : false),
  });

export const useNarrowing = (pack_id: string, narrowing_id: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "narrowings", narrowing_id],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/narrowings/{narrowing_id}", { params: { path: { pack_id, narrowing_id } } })),
    refetchInterval: (query) => (query.state.data && isTrying(query.state.data.state) ? LIVE : false),
  });

/** The newest trial of exactly what a release holds; null for none. */
export const useTrialOfRelease = (pack_id: string, number: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "trials", "of", number],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/releases/{number}/trial", { params: { path: { pack_id, number } } })),
  });

export type LogWanted = NonNullable<paths["/api/packs/{pack_id}/trials/{trial_id}/log"]["get"]["parameters"]["query"]>;

/** Whose log is read, and how. */
export interface LogSource {
  key: string[];
  read: (query: LogWanted) => Promise<Shape["TrialLog"]>;
}

export const trialLog = (pack_id: string, trial_id: string): LogSource => ({
  key: ["trial", trial_id],
  read: (query) =>
    told(api.GET("/api/packs/{pack_id}/trials/{trial_id}/log", { params: { path: { pack_id, trial_id }, query } })),
});

export const helpLog = (call_id: string, which: "last" | "good"): LogSource => ({
  key: ["call", call_id, which],
  read: (query) => told(api.GET("/api/calls/{call_id}/log/{which}", { params: { path: { call_id, which }, query } })),
});

/** A log's entries, a portion at a time. */
export const useLog = (source: LogSource, query: LogWanted) =>
  useInfiniteQuery({
    queryKey: ["log", ...source.key, query],
    queryFn: ({ pageParam }) => source.read({ ...query, first: pageParam }),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => {
      const read = pages.reduce((sum, page) => sum + page.entries.length, 0);
      return read < last.shown ? read : undefined;
    },
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** One's own calls for help with a pack; for curators those that were sent to them, too. */
export const useHelpCalls = (id: string, live = false) =>
  useQuery({
    queryKey: ["pack", id, "calls"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/calls", of(id))),
    refetchInterval: live ? LIVE : CALM,
  });

export const useHelpCall = (call_id: string) =>
  useQuery({
    queryKey: ["call", call_id],
    queryFn: () => told(api.GET("/api/calls/{call_id}", { params: { path: { call_id } } })),
    refetchInterval: CALM,
  });

export const useOverlap = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "overlap"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/overlap", of(id))),
  });

export const usePair = (pack_id: string, one: string, other: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "overlap", one, other],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/overlap/{one}/{other}", { params: { path: { pack_id, one, other } } })),
  });

export const useSetAside = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "set-aside"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/set-aside", of(id))),
  });

export const useTriedAside = (id: string, text: string, revision: number) =>
  useQuery({
    queryKey: ["pack", id, "set-aside", "tried", text, revision],
    queryFn: () => told(api.POST("/api/packs/{pack_id}/set-aside", { ...of(id), body: { text } })),
    placeholderData: keepPreviousData,
    gcTime: 0,
  });

export const useOwnFiles = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "own-files"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/own-files", of(id))),
  });

export const useOwnText = (pack_id: string, sha256: string) =>
  useQuery({
    queryKey: ["own-text", pack_id, sha256],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/own-files/text/{sha256}", { params: { path: { pack_id, sha256 } } })),
    enabled: sha256 !== "",
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const useOwnVersions = (pack_id: string, path: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "own-files", "versions", path],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/own-files/versions", { params: { path: { pack_id }, query: { path } } })),
  });

export const useParts = (pack_id: string, mod: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "parts", mod],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/parts/{mod}", { params: { path: { pack_id, mod } } })),
  });

export const usePending = (pack_id: string, channel: Shape["ReleaseChannel"], when = true) =>
  useQuery({
    enabled: when,
    queryKey: ["pack", pack_id, "pending", channel],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/pending", { params: { path: { pack_id }, query: { channel } } })),
    placeholderData: keepPreviousData,
  });

export const useReleases = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "releases"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/releases", of(id))),
  });

export const useToSign = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "to-sign"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/to-sign", of(id))),
  });

export const useCharter = (crew_id: string) =>
  useQuery({
    queryKey: ["crew", crew_id, "charter"],
    queryFn: () => told(api.GET("/api/crews/{crew_id}/charter", { params: { path: { crew_id } } })),
  });

export const useRelease = (pack_id: string, number: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "releases", number],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/releases/{number}", { params: { path: { pack_id, number } } })),
    // It never changes, but for a sealed one that opens.
    staleTime: (query) => (query.state.data?.sealed_until ? 0 : Number.POSITIVE_INFINITY),
    refetchInterval: (query) => (query.state.data?.sealed_until ? CALM : false),
  });

export const useCodes = (id: string, may: boolean) =>
  useQuery({
    queryKey: ["pack", id, "codes"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/codes", of(id))),
    enabled: may,
  });

export const useEdits = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "edits"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft/edits", of(id))),
    refetchInterval: LIVE,
  });

export const useUpdates = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "updates"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft/updates", of(id))),
  });

export const useOfferedCollections = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "collections"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft/collections", of(id))),
  });

export const useBases = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "bases"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft/bases", of(id))),
  });

export const useNeeds = (pack_id: string, mod: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "needs", mod],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/draft/needs/{mod}", { params: { path: { pack_id, mod } } })),
  });

export const useMoreOfMod = (pack_id: string, slug: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "mod", slug, "more"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/mods/{slug}/more", { params: { path: { pack_id, slug } } })),
  });

export const useLicence = (text: string) =>
  useQuery({
    queryKey: ["licence", text],
    queryFn: () => told(api.GET("/api/licences", { params: { query: { text: text.slice(0, 200) } } })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });

export const recognise = (id: string, text: string) =>
  told(api.POST("/api/packs/{pack_id}/draft/recognise", { ...of(id), body: { text } }));

export const useRollCall = (id: string, when = true) =>
  useQuery({
    enabled: when,
    queryKey: ["pack", id, "roll-call"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/roll-call", of(id))),
    refetchInterval: (query) => (query.state.data?.rows.some((row) => isBusy(row.progress)) ? LIVE : CALM),
  });

export const useDepartures = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "departures"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/departures", of(id))),
    refetchInterval: CALM,
  });

export const useLead = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "lead"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/lead", of(id))),
  });

export const usePlaythroughs = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "playthroughs"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/playthroughs", of(id))),
    refetchInterval: CALM,
  });

export type Search = NonNullable<paths["/api/packs/{pack_id}/catalogue"]["get"]["parameters"]["query"]>;

export const useFinder = (pack_id: string, search: Search) =>
  useQuery({
    queryKey: ["pack", pack_id, "finder", search],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/catalogue", { params: { path: { pack_id }, query: { ...search } } })),
    placeholderData: keepPreviousData,
  });

export const useMod = (pack_id: string, slug: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "mod", slug],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/mods/{slug}", { params: { path: { pack_id, slug } } })),
    enabled: slug !== "",
  });

export const useInstallations = () =>
  useQuery({
    queryKey: ["installations"],
    queryFn: () => told(api.GET("/api/installations")),
    refetchInterval: CALM,
  });

export const useInstallation = (installation_id: string) =>
  useQuery({
    queryKey: ["installation", installation_id],
    queryFn: () => told(api.GET("/api/installations/{installation_id}", { params: { path: { installation_id } } })),
    refetchInterval: (query) => (query.state.data && isBusy(query.state.data.progress) ? 1_000 : LIVE * 2),
  });

export const useOfferedBeside = (installation_id: string) =>
  useQuery({
    queryKey: ["installation", installation_id, "beside"],
    queryFn: () =>
      told(api.GET("/api/installations/{installation_id}/beside", { params: { path: { installation_id } } })),
  });

export const useCrew = (crew_id: string) =>
  useQuery({
    queryKey: ["crew", crew_id],
    queryFn: () => told(api.GET("/api/crews/{crew_id}", { params: { path: { crew_id } } })),
  });

export const useReviews = (pack_id: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "reviews"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/reviews", { params: { path: { pack_id } } })),
  });

export const useOpenedCode = (code: string) =>
  useQuery({
    queryKey: ["code", code],
    queryFn: () => told(api.GET("/api/codes/{code}", { params: { path: { code } } })),
    enabled: code !== "",
    retry: false,
  });

/** A change at the site; afterwards everything under `about` is read again. */
export function useChange<In, Out>(change: (given: In) => Promise<Out>, ...about: string[][]) {
  const client = useQueryClient();
  return useMutation<Out, Refused, In>({
    mutationFn: change,
    onSettled: () => Promise.all(about.map((queryKey) => client.invalidateQueries({ queryKey }))),
  });
}

export const isBusy = (progress: Shape["ProgressOut"]) => progress.phase !== "" && !progress.error;
