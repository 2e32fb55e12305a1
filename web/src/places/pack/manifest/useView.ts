// How somebody likes the manifest: columns, their order, sorting, grouping. Remembered in the browser, for all packs.
import type { SortingState, VisibilityState } from "@tanstack/react-table";
import { useEffect, useState } from "react";
import { EXTRA, FIRST_ORDER } from "./columns";

export interface View {
  order: string[];
  shown: VisibilityState;
  sorting: SortingState;
  /** By what lines are grouped: their part in the pack, or the mod's category. */
  groups: "part" | "category";
}

const KEY = "convoy.manifest";
export const FIRST_VIEW: View = {
  order: FIRST_ORDER,
  shown: Object.fromEntries(EXTRA.map((id) => [id, false])),
  sorting: [],
  groups: "part",
};

export function useView(): [View, (change: Partial<View>) => void] {
  const [view, setView] = useState<View>(read);
  useEffect(() => localStorage.setItem(KEY, JSON.stringify(view)), [view]);
  return [view, (change) => setView((before) => ({ ...before, ...change }))];
}

function read(): View {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? "{}");
    const order: string[] = (kept.order ?? []).filter((id: string) => FIRST_ORDER.includes(id));
    return { ...FIRST_VIEW, ...kept, order: [...order, ...FIRST_ORDER.filter((id) => !order.includes(id))] };
  } catch {
    return FIRST_VIEW;
  }
}
