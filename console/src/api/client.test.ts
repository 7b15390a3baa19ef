import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api, Problem, rememberCsrf, take } from "./client";
import { question } from "./confirmation";

const REFUSED = {
  type: "urn:tolvin:problem:password-needed",
  detail: "This asks for your password.",
};

/** Answers in their order; what was asked is kept. */
function serve(...answers: [number, object?][]): Request[] {
  const asked: Request[] = [];
  vi.stubGlobal("fetch", async (input: Request | string, init?: RequestInit) => {
    asked.push(
      input instanceof Request ? input.clone() : new Request(new URL(input, "http://x"), init),
    );
    const [status, body] = answers.shift() ?? [500, {}];
    return new Response(body && JSON.stringify(body), {
      status,
      headers: { "Content-Type": "application/json" },
    });
  });
  return asked;
}

const add = () =>
  take(
    api.POST("/api/v1/host-commands", {
      baseUrl: "http://x",
      body: { command: "true", reason: "a test" },
      fetch: (request: Request) => globalThis.fetch(request),
    }),
  );

const asked = () => vi.waitFor(() => expect(question.value).toBeDefined());

describe("what asks for the password", () => {
  beforeEach(() => rememberCsrf("the session's own"));
  afterEach(() => vi.unstubAllGlobals());

  it("is sent again, as it was, once the password was given", async () => {
    const requests = serve([403, REFUSED], [204], [200, { command: "true" }]);
    const added = add();
    await asked();
    question.value?.answer("haul on the bowline");
    expect((await added).command).toBe("true");
    expect(requests.map((r) => new URL(r.url).pathname)).toEqual([
      "/api/v1/host-commands",
      "/api/v1/session/confirmation",
      "/api/v1/host-commands",
    ]);
    expect(await requests[1]?.json()).toEqual({ password: "haul on the bowline" });
    expect(await requests[2]?.json()).toEqual({ command: "true", reason: "a test" });
    for (const request of requests) {
      expect(request.headers.get("X-Tolvin-Csrf")).toBe("the session's own");
    }
  });

  it("says that the password is wrong, and sends nothing again", async () => {
    const requests = serve([403, REFUSED], [403, { detail: "The password is wrong." }]);
    const added = add();
    await asked();
    question.value?.answer("wrong");
    await expect(added).rejects.toThrow("The password is wrong.");
    expect(requests).toHaveLength(2);
  });

  it("is refused when nobody gives it", async () => {
    const requests = serve([403, REFUSED]);
    const added = add();
    await asked();
    question.value?.answer(undefined);
    await expect(added).rejects.toThrow(Problem);
    expect(requests).toHaveLength(1);
  });

  it("is not asked for because of another refusal", async () => {
    serve([403, { type: "urn:tolvin:problem:not-yours", detail: "Not yours." }]);
    await expect(add()).rejects.toThrow("Not yours.");
    expect(question.value).toBeUndefined();
  });
});
