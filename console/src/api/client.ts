import createClient from "openapi-fetch";
import { carriesPrivateKey } from "../private";
import { askPassword } from "./confirmation";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];

/** What the API sends; a field may be absent where the OpenAPI document's description says so. */
export type Of<Name extends keyof Schemas> = Schemas[Name];

/** A refusal, in the form of an RFC 9457 problem. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly remedy: string,
  ) {
    super(detail);
  }
}

const PASSWORD_NEEDED = "urn:tolvin:problem:password-needed";

/** A page that nobody touched for so long keeps no session open. */
const UNATTENDED_AFTER = 5 * 60_000;

let csrf = "";
let touched = Date.now();
for (const what of ["pointerdown", "keydown"]) {
  globalThis.addEventListener?.(what, () => (touched = Date.now()), { passive: true });
}

/** What was sent, for sending it again once the password was given. */
const sent = new Map<string, Request>();

/** Remembers the header that every change must carry. */
export function rememberCsrf(value: string | undefined): void {
  csrf = value ?? "";
}

export const api = createClient<paths>({ baseUrl: "" });

api.use({
  async onRequest({ request, id }) {
    if (carriesPrivateKey(new Uint8Array(await request.clone().arrayBuffer()))) {
      throw new Problem(
        0,
        "This holds a private key. It was not sent.",
        "Give the public key, usually in the file that ends in .pub.",
      );
    }
    if (request.method !== "GET" && csrf) {
      request.headers.set("X-Tolvin-Csrf", csrf);
    }
    if (Date.now() - touched > UNATTENDED_AFTER) {
      request.headers.set("X-Tolvin-Unattended", "true");
    }
    if (request.method !== "GET") {
      sent.set(id, request.clone());
    }
    return request;
  },

  async onResponse({ response, id }) {
    const again = sent.get(id);
    sent.delete(id);
    if (response.status !== 403 || !again) {
      return response;
    }
    const problem = (await response.clone().json()) as { type?: string };
    return problem.type === PASSWORD_NEEDED ? confirmed(again, response) : response;
  },

  onError({ id }) {
    sent.delete(id);
  },
});

/** Asks for the password until it is right or nobody wants to give it, and then sends again. */
async function confirmed(again: Request, refusal: Response): Promise<Response> {
  const password = await askPassword();
  if (password === undefined) {
    return refusal;
  }
  const answer = await fetch("/api/v1/session/confirmation", {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-Tolvin-Csrf": csrf },
    body: JSON.stringify({ password }),
  });
  return answer.ok ? fetch(again) : answer;
}

/** The data of an answer; throws a {@link Problem} for a refusal. */
export async function take<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let answer;
  try {
    answer = await call;
  } catch (refused) {
    if (refused instanceof Problem) {
      throw refused;
    }
    throw new Problem(0, "The service does not answer.", "Look whether it runs, and try again.");
  }
  if (!answer.response.ok) {
    const problem = (answer.error ?? {}) as { detail?: string; remedy?: string };
    throw new Problem(
      answer.response.status,
      problem.detail ?? `The service answered ${answer.response.status}.`,
      problem.remedy ?? "",
    );
  }
  return answer.data as T;
}
