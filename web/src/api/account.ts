// One's own account: sign-in, address, password, second factor, sessions. All of it is django-allauth's (headless); its
// errors are told in the same way as the site's own.
import { csrfToken, Refused } from "./client";

export interface Flow {
  id: string;
  is_pending?: boolean;
  types?: string[];
}

interface Reply<T> {
  status: number;
  data: T;
  flows: Flow[];
  signedIn: boolean;
}

type Method = "GET" | "POST" | "PUT" | "PATCH" | "DELETE";

/** Thrown where the site wants the password once more before it does what was asked. */
export class AskPassword extends Error {}

/** Asks, and gives whatever came with its status: some answers that are no 200 are the next step. */
export async function ask<T>(method: Method, path: string, body?: object, headers = {}): Promise<Reply<T>> {
  const reply = await fetch(`/_allauth/browser/v1/${path}`, {
    method,
    headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken(), ...headers },
    body: body && JSON.stringify(body),
  }).catch(() => null);
  if (!reply) throw refused(0, "The site does not answer. Try again in a moment.", {});
  const told = await reply.json().catch(() => ({}));
  const errors = (told.errors ?? []) as { param?: string; message: string }[];
  if (errors.length) {
    const fields = Object.fromEntries(errors.map((one) => [one.param ?? "", one.message]));
    throw refused(reply.status, errors.map((one) => one.message).join(" "), fields);
  }
  if (reply.status === 403) throw refused(403, "This site takes no new accounts.", {});
  if (reply.status === 429) throw refused(429, "Too many tries. Wait some minutes.", {});
  if (reply.status >= 500) throw refused(reply.status, "Something went wrong at the site. Try again.", {});
  return {
    status: reply.status,
    data: told.data as T,
    flows: (told.data?.flows ?? []) as Flow[],
    signedIn: told.meta?.is_authenticated === true,
  };
}

/** What an app needs to be a second factor; it comes with the answer that there is none yet. */
export async function newSecret(): Promise<{ secret: string; totp_url: string }> {
  const reply = await fetch("/_allauth/browser/v1/account/authenticators/totp").catch(() => null);
  const told = await reply?.json().catch(() => null);
  if (reply?.status === 401) throw new AskPassword();
  if (reply?.status !== 404 || !told?.meta?.secret)
    throw refused(reply?.status ?? 0, told?.errors?.[0]?.message ?? "The site does not answer. Try again.", {});
  return told.meta;
}

/** What is asked of somebody who is signed in. Throws AskPassword where the password is wanted first. */
export async function mine<T>(method: Method, path: string, body?: object): Promise<T> {
  const reply = await ask<T>(method, path, body);
  if (reply.status === 401) {
    if (reply.signedIn || reply.flows.some((one) => one.id.includes("reauthenticate"))) throw new AskPassword();
    throw refused(401, "You are not signed in.", {});
  }
  if (reply.status >= 400 && reply.status !== 404) throw refused(reply.status, "That was refused.", {});
  return reply.data;
}

function refused(status: number, what: string, fields: Record<string, string>): Refused {
  return new Refused(status, { code: "account", what, why: "", now: "", fields, data: {} });
}

/** Passkeys are bound to a site's name: one that is reached by a number has none. */
export const passkeysWork = () =>
  !/^[\d.]+$|:/.test(window.location.hostname) &&
  typeof PublicKeyCredential !== "undefined" &&
  "parseCreationOptionsFromJSON" in PublicKeyCredential;

export async function makePasskey(options: unknown): Promise<object> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(
    (options as { publicKey: PublicKeyCredentialCreationOptionsJSON }).publicKey,
  );
  return serialised(await navigator.credentials.create({ publicKey }));
}

export async function showPasskey(options: unknown): Promise<object> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(
    (options as { publicKey: PublicKeyCredentialRequestOptionsJSON }).publicKey,
  );
  return serialised(await navigator.credentials.get({ publicKey }));
}

function serialised(made: Credential | null): object {
  if (!(made instanceof PublicKeyCredential)) throw refused(0, "No passkey was chosen.", {});
  return made.toJSON();
}
