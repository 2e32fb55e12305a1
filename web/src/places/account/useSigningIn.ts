// Signing in and up: name and password, a second factor where the account has one, or a passkey alone.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { ask, showPasskey } from "../../api/account";
import { Refused } from "../../api/client";

type Given = Record<string, string>;

const locked = () =>
  new Refused(401, {
    code: "locked",
    what: "This account is locked.",
    why: "",
    now: "Ask whoever keeps this site.",
    fields: {},
    data: {},
  });

export function useSigningIn() {
  const [search, setSearch] = useSearchParams();
  const signingUp = search.has("new");
  const [second, setSecond] = useState<string[] | null>(null);
  const navigate = useNavigate();
  const client = useQueryClient();
  const inside = async () => {
    await client.resetQueries();
    const next = search.get("next") ?? "/";
    navigate(next.startsWith("/") && !next.startsWith("//") ? next : "/");
  };
  /** Signed in, or at the step before it. */
  const goOn = async (reply: { status: number; flows: { id: string; is_pending?: boolean; types?: string[] }[] }) => {
    const waiting = reply.flows.find((one) => one.id === "mfa_authenticate" && one.is_pending);
    if (reply.status === 401 && waiting) setSecond(waiting.types ?? []);
    else if (reply.status === 401) throw locked();
    else await inside();
  };
  const enter = useMutation<void, Refused, Given>({
    mutationFn: async (given) => {
      const sent = Object.fromEntries(Object.entries(given).filter(([, value]) => value !== ""));
      await goOn(await ask("POST", signingUp ? "auth/signup" : "auth/login", sent));
    },
  });
  const prove = useMutation<void, Refused, string>({
    mutationFn: async (code) => goOn(await ask("POST", "auth/2fa/authenticate", { code: code.replaceAll(" ", "") })),
  });
  const byPasskey = async (path: string) => {
    const asked = await ask<{ request_options: unknown }>("GET", path);
    await goOn(await ask("POST", path, { credential: await showPasskey(asked.data.request_options) }));
  };
  const passkey = useMutation<void, Refused>({ mutationFn: () => byPasskey("auth/webauthn/login") });
  const proveByKey = useMutation<void, Refused>({ mutationFn: () => byPasskey("auth/webauthn/authenticate") });
  return {
    signingUp,
    invitation: search.get("code") ?? "",
    other: () => {
      const kept = new URLSearchParams(search);
      signingUp ? kept.delete("new") : kept.set("new", "1");
      enter.reset();
      setSearch(kept);
    },
    enter,
    passkey,
    second,
    prove,
    proveByKey,
    startOver: () => setSecond(null),
  };
}
