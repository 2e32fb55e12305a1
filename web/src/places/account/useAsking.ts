// Asking for changes of one's own account. Some of them want the password once more: it is asked for, and then what was
// asked goes on by itself.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { AskPassword, mine } from "../../api/account";
import type { Refused } from "../../api/client";

export interface Asking {
  /** Does something, and reads the account anew. */
  run: (what: () => Promise<unknown>, after?: () => void) => void;
  isPending: boolean;
  error: Refused | null;
  /** Set while the password is wanted. */
  wanted: boolean;
  confirm: (password: string) => void;
  giveUp: () => void;
}

export function useAsking(): Asking {
  const client = useQueryClient();
  const [waiting, setWaiting] = useState<{ what: () => Promise<unknown>; after?: () => void } | null>(null);
  const change = useMutation<void, Refused, { what: () => Promise<unknown>; after?: () => void }>({
    mutationFn: async ({ what, after }) => {
      try {
        await what();
        setWaiting(null);
        after?.();
      } catch (error) {
        if (!(error instanceof AskPassword)) throw error;
        setWaiting({ what, after });
      }
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["account"] }),
  });
  return {
    run: (what, after) => change.mutate({ what, after }),
    isPending: change.isPending,
    error: change.error,
    wanted: waiting !== null,
    confirm: (password) =>
      waiting &&
      change.mutate({
        what: async () => {
          await mine("POST", "auth/reauthenticate", { password });
          await waiting.what();
        },
        after: waiting.after,
      }),
    giveUp: () => {
      setWaiting(null);
      change.reset();
    },
  };
}

export const useMine = <T>(path: string) =>
  useQuery({ queryKey: ["account", path], queryFn: () => mine<T>("GET", path), retry: false });
