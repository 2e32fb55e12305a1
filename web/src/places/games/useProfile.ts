// A game's profile while it is worked on: as text and as a form's document, which are one thing. The site says after each
// change what is wrong, and what keeping it would do; nothing is kept until somebody says so.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { api, type Refused, type Shape, told } from "../../api/client";

// biome-ignore lint/suspicious/noExplicitAny: a profile that is being written may have any shape; the site judges it
export type Document = Record<string, any>;
type Rehearsed = Shape["RehearsedOut"];

export interface Profile {
  text: string;
  /** Missing while the text is no TOML. */
  document: Document | null;
  read: Rehearsed | undefined;
  error: Refused | null;
  /** Whether what is shown was judged already. */
  isJudged: boolean;
  write: (text: string) => void;
  fill: (document: Document) => void;
}

type Given = { text: string; document: Document | null };

const WAIT = 300;

export function useProfile(begin: string, game = ""): Profile {
  const [given, setGiven] = useState<Given>({ text: begin, document: null });
  const asked = useSettled(useDeferredValue(given), WAIT);
  const judged = useQuery({
    queryKey: ["profile", game, asked],
    queryFn: () =>
      told(api.POST("/api/games/rehearsal", { body: { text: asked.text, document: asked.document, game } })),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const isJudged = asked === given && !judged.isPlaceholderData && !!judged.data;
  return {
    text: given.document && isJudged && judged.data ? judged.data.text : given.text,
    document: given.document ?? judged.data?.document ?? null,
    read: judged.data,
    error: judged.error as Refused | null,
    isJudged,
    write: (text) => setGiven({ text, document: null }),
    // Written into the text as it was judged last, so that its comments stay.
    fill: (document) => setGiven({ text: given.text, document }),
  };
}

/** A value once it has stood still for a while. */
function useSettled<T>(value: T, wait: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), wait);
    return () => clearTimeout(timer);
  }, [value, wait]);
  return settled;
}

export const NEW_GAME = `# What the game is called, and what lies where. docs/games.md tells every field.
id = ""
name = ""
managed = ["mods"]
settings = ["mods/*/settings.*", "config/**"]
worlds = ["saves"]

[[versions]]
version = "1.0"
label = "1.0"

[kinds.mod]
place = "mods/{mod}"

[memory]
base = 2048

[memory.estimates]
mod = { each = 12, per_mb = 1.5 }
`;
