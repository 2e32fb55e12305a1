// The one way to the site: typed by the API's own description, every refusal an error that carries its sentence.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Shape = components["schemas"];

/** What the site refused, as it said it: what, why, what now; `fields` names wrong fields of a form. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly told: Shape["Refusal"],
  ) {
    super([told.what, told.why, told.now].filter(Boolean).join(" "));
  }

  field(name: string): string {
    return this.told.fields?.[name] ?? (this.told.data?.field === name ? this.message : "");
  }
}

export const api = createClient<paths>({ baseUrl: "/" });

export function csrfToken(): string {
  return document.cookie.match(/(?:^|; )csrftoken=([^;]+)/)?.[1] ?? "";
}

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer; throws Refused for everything else, an unreachable site included. */
export async function told<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>;
  try {
    got = await answer;
  } catch {
    throw new Refused(
      0,
      refusal("The site does not answer.", "It is away, or your line is.", "Try again in a moment."),
    );
  }
  if (got.response.ok) return got.data as T;
  if (got.response.status === 401) throw new Refused(401, refusal("You are not signed in.", "", "Sign in first."));
  const known = got.error as Shape["Refusal"] | undefined;
  throw new Refused(
    got.response.status,
    known?.what ? known : refusal("Something went wrong at the site.", "", "Try again."),
  );
}

function refusal(what: string, why: string, now: string): Shape["Refusal"] {
  return { code: "away", what, why, now, fields: {}, data: {} };
}
