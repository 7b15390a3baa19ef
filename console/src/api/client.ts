import createClient from "openapi-fetch";
import { carriesPrivateKey } from "../private";
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

let csrf = "";

/** Remembers the header that every change must carry. */
export function rememberCsrf(value: string | undefined): void {
  csrf = value ?? "";
}

export const api = createClient<paths>({ baseUrl: "" });

api.use({
  async onRequest({ request }) {
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
    return request;
  },
});

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
