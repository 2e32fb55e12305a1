// What the place of settings asks of the site.
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { api, type Shape, told } from "./client";

export type Setting = Shape["SettingRowOut"];
export type Plain = NonNullable<Setting["to"]>["value"];

export interface Asked {
  words: string;
  mod: string;
  only: Shape["Only"] | "";
  set: string;
}

const PAGE = 120;

/** Keys of a pack's settings, asked for in pages as the table is scrolled. */
export const useSettings = (id: string, revision: number, asked: Asked) =>
  useInfiniteQuery({
    queryKey: ["pack", id, "settings", revision, asked],
    initialPageParam: 0,
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/packs/{pack_id}/settings", {
          params: {
            path: { pack_id: id },
            query: { ...asked, only: asked.only || undefined, offset: pageParam, limit: PAGE },
          },
        }),
      ),
    getNextPageParam: (last, pages) => (pages.length * PAGE < last.total ? pages.length * PAGE : undefined),
    placeholderData: keepPreviousData,
    enabled: revision >= 0,
  });

export const useSettingsText = (id: string, revision: number, path: string) =>
  useQuery({
    queryKey: ["pack", id, "settings text", revision, path],
    queryFn: () =>
      told(api.GET("/api/packs/{pack_id}/settings/text", { params: { path: { pack_id: id }, query: { path } } })),
    placeholderData: (last) => (last?.path === path ? last : undefined),
    enabled: path !== "",
    retry: false,
  });

export const useMachineSettings = (id: string) =>
  useQuery({
    queryKey: ["pack", id, "machine settings"],
    queryFn: () => told(api.GET("/api/packs/{pack_id}/settings/machines", { params: { path: { pack_id: id } } })),
    enabled: id !== "",
  });

/** What a typed text says otherwise than the pack. */
export const useRetyped = (id: string, revision: number, path: string, text: string | null, before: string) =>
  useQuery({
    queryKey: ["pack", id, "retyped", revision, path, text, before],
    queryFn: () =>
      told(
        api.POST("/api/packs/{pack_id}/settings/text", {
          params: { path: { pack_id: id } },
          body: { path, text: text ?? "", before },
        }),
      ),
    enabled: text !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
