// What leaves the site and comes to it: news, files of packs, public pages, calls of other services, invitations.
import { useQuery } from "@tanstack/react-query";
import { api, type Shape, told } from "./client";

const of = (pack_id: string) => ({ params: { path: { pack_id } } });
const MINUTE = 60_000;
const WORKING = 1_000;

export const useNewsCount = (signedIn: boolean) =>
  useQuery({
    queryKey: ["news", "count"],
    queryFn: () => told(api.GET("/api/news/count")),
    enabled: signedIn,
    refetchInterval: MINUTE,
  });

export const useNews = () => useQuery({ queryKey: ["news", "list"], queryFn: () => told(api.GET("/api/news")) });

export const newsBefore = (before: number) => told(api.GET("/api/news", { params: { query: { before } } }));

export const useWishes = () =>
  useQuery({ queryKey: ["news", "wishes"], queryFn: () => told(api.GET("/api/news/wishes")) });

export const usePublicPage = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "public-page"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/public-page", of(id))),
    // A page that is not there yet is suggested another address each time.
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useHooks = (id: string, may: boolean) =>
  useQuery({
    queryKey: ["pack", id, "hooks"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/hooks", of(id))),
    enabled: may,
  });

export const useCalls = (pack_id: string, hook_id: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "hooks", hook_id, "calls"],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/hooks/{hook_id}/calls", { params: { path: { pack_id, hook_id } } })),
    refetchInterval: WORKING * 3,
  });

export const isMaking = (one: { state: Shape["MakingState"] }) => one.state === "waits" || one.state === "working";

export const usePackings = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "packings"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/packings", of(id))),
    refetchInterval: (query) => (query.state.data?.some(isMaking) ? WORKING : false),
  });

/** What goes into a file. */
export interface Asked {
  number: string;
  form: "bag" | "share";
  side: "both" | "player" | "server";
  builds: boolean;
  own: boolean;
}

export const usePackingPlan = (id: string, asked: Asked) =>
  useQuery({
    queryKey: ["pack", id, "packing-plan", asked],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/packing-plan", { params: { path: { pack_id: id }, query: { ...asked } } })),
    placeholderData: (before) => before,
  });

export const useOpening = (opening_id: string) =>
  useQuery({
    queryKey: ["opening", opening_id],
    queryFn: () => told(api.GET("/api/openings/{opening_id}", { params: { path: { opening_id } } })),
    enabled: opening_id !== "",
    refetchInterval: (query) => (query.state.data?.begun && isMaking(query.state.data) ? WORKING : false),
  });

export const useChangeLog = (pack_id: string, since: string, until: string) =>
  useQuery({
    queryKey: ["pack", pack_id, "change-log", since, until],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/change-log", { params: { path: { pack_id }, query: { since, until } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useCrewInvitations = (crew_id: string, may: boolean) =>
  useQuery({
    queryKey: ["crew", crew_id, "invitations"],
    queryFn: () => told(api.GET("/api/crews/{crew_id}/invitations", { params: { path: { crew_id } } })),
    enabled: may,
  });

export const useInvitedTo = (code: string, signedIn: boolean) =>
  useQuery({
    queryKey: ["aboard", code],
    queryFn: () => told(api.GET("/api/aboard/{code}", { params: { path: { code } } })),
    enabled: signedIn && code !== "",
    retry: false,
  });

export const useOwnDefaults = () => useQuery({ queryKey: ["defaults"], queryFn: () => told(api.GET("/api/defaults")) });

export const useCrewDefaults = (crew_id: string) =>
  useQuery({
    queryKey: ["crew", crew_id, "defaults"],
    queryFn: () => told(api.GET("/api/crews/{crew_id}/defaults", { params: { path: { crew_id } } })),
  });
