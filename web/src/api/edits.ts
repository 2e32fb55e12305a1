// Edits of a draft: as the screens write them, and how they are sent.
import { type QueryClient, type QueryKey, useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, type Refused, type Shape, told } from "./client";

type Draft = Shape["DraftOut"];
type SentEdit = Shape["EditsIn"]["edits"][number];
type Said =
  | "do"
  | "mod"
  | "mods"
  | "builds"
  | "on"
  | "game_version"
  | "revision"
  | "pack"
  | "steps"
  | "id"
  | "places"
  | "patterns"
  | "finding"
  | "text";
type WithDefaults<T> = T extends { settings: unknown }
  ? Pick<T, Extract<keyof T, Said>> & Partial<Omit<T, Said | "settings">> & { settings?: Partial<Shape["KeyIn"]>[] }
  : T extends unknown
    ? Pick<T, Extract<keyof T, Said>> & Partial<Omit<T, Said>>
    : never;

/** An edit as the screens write it: what the site has a default for may be left out. */
export type Edit = WithDefaults<SentEdit>;

/** `ask`: nothing is kept where the edits would do more than they say; `rehearse`: nothing is kept. `with_draft`: the
 *  answer brings the draft as it is then.
 */
export const sendEdits = (
  pack_id: string,
  revision: number,
  edits: Edit[],
  how: "keep" | "ask" | "rehearse",
  with_draft = false,
) =>
  told(
    api.POST("/api/packs/{pack_id}/draft/edits", {
      params: { path: { pack_id } },
      body: { revision, edits: edits as SentEdit[], ask: how === "ask", rehearse: how === "rehearse", with_draft },
    }),
  );

/** What of a pack no edit of its draft changes: people, machines, and whom is told what. */
const APART = new Set<unknown>(["roll-call", "departures", "codes", "calls", "hooks"]);

/** Reads anew what is shown of a pack and may hang on its draft; `known`: what is there already as it is now. */
export const readAnew = (client: QueryClient, packId: string, known: (key: QueryKey) => boolean) =>
  client.invalidateQueries({
    queryKey: ["pack", packId],
    predicate: ({ queryKey }) => !APART.has(queryKey[2]) && !known(queryKey),
  });

interface Sent {
  edits: Edit[];
  ask: boolean;
}

/** Sends edits of a draft one after the other, each against the draft that the answer to the one before it brought.
 *  `shown`: the draft as edits that are under way will leave it, as far as that is known before the site has answered.
 */
export function useSending(packId: string, shown: (draft: Draft, edits: Edit[]) => Draft) {
  const client = useQueryClient();
  const queryKey = ["pack", packId, "draft"];
  const known = () => client.getQueryData<Draft>(queryKey);
  const under = useRef<Edit[][]>([]);
  return useMutation<Shape["OutcomeOut"], Refused, Sent, Draft | undefined>({
    scope: { id: `draft of ${packId}` },
    onMutate: async ({ edits }) => {
      under.current.push(edits);
      await client.cancelQueries({ queryKey, exact: true });
      const draft = known();
      if (draft) client.setQueryData(queryKey, shown(draft, edits));
      return draft;
    },
    // Refused, or the site is away: what was shown ahead of it never was.
    onError: (_error, _sent, before) => before && client.setQueryData(queryKey, before),
    // Asked for when its turn has come: of two edits right after each other the second knows the first.
    mutationFn: ({ edits, ask }) => sendEdits(packId, known()?.revision ?? 0, edits, ask ? "ask" : "keep", true),
    onSettled: async (outcome) => {
      under.current.shift();
      // What is read while edits are under way would show the draft without them.
      await client.cancelQueries({ queryKey, exact: true });
      if (outcome?.draft) client.setQueryData(queryKey, under.current.reduce(shown, outcome.draft));
      else await client.invalidateQueries({ queryKey, exact: true });
      client.invalidateQueries({ queryKey: ["packs"] });
      readAnew(client, packId, (key) => key.length === queryKey.length && key[2] === "draft");
    },
  });
}
