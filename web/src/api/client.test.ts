import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, ask, newKey, proveBy } from "./client";

/** answers has each request answered by the next of some answers: a status, or nothing at all; it gives the keys that came. */
function answers(...list: (number | "lost")[]): string[] {
  const keys: string[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    keys.push(request.headers.get("Idempotency-Key") ?? "none");
    const next = list.shift() ?? 200;
    if (next === "lost") return Promise.reject(new TypeError("network"));
    return Promise.resolve(
      new Response(JSON.stringify({ detail: "x" }), { status: next, headers: { "Content-Type": "application/json" } }),
    );
  });
  return keys;
}

const note = (text: string) =>
  ask(
    api.POST("/api/records/{id}/follow-ups", {
      params: { path: { id: "1" }, header: { "Idempotency-Key": newKey() } },
      body: { text },
    }),
  ).catch(() => undefined);

describe("a wish", () => {
  beforeEach(() => {
    vi.useFakeTimers({ now: new Date("2026-11-23T14:00:00Z") });
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("that was not answered is asked for again with the same key", async () => {
    const keys = answers("lost", 503, 201, 201);
    for (let i = 0; i < 4; i++) await note("call back");
    expect(keys[1]).toBe(keys[0]);
    expect(keys[2]).toBe(keys[0]);
    expect(keys[3]).not.toBe(keys[0]); // it was answered: the same again is another wish
  });

  it("of another content, or much later, is another one", async () => {
    const keys = answers("lost", "lost", 201);
    await note("mail");
    await note("visit");
    expect(keys[1]).not.toBe(keys[0]);
    vi.advanceTimersByTime(61_000);
    await note("mail");
    expect(keys[2]).not.toBe(keys[0]);
  });

  it("that was refused is over", async () => {
    const keys = answers(422, 201);
    await note("send");
    await note("send");
    expect(keys[1]).not.toBe(keys[0]);
  });
});

describe("what asks who sits there", () => {
  afterEach(() => {
    vi.unstubAllGlobals();
  });

  it("goes on with the same wish once that is shown, and stays refused where it is not", async () => {
    for (const shown of [true, false]) {
      const bodies: string[] = [];
      vi.stubGlobal("fetch", async (request: Request) => {
        bodies.push(await request.text());
        const first = bodies.length === 1;
        return new Response(JSON.stringify(first ? { code: "prove", detail: "again" } : { name: "Writer" }), {
          status: first ? 403 : 201,
          headers: { "Content-Type": "application/json" },
        });
      });
      const stop = proveBy(() => Promise.resolve(shown));
      const made = ask(
        api.POST("/api/roles", { params: { header: { "Idempotency-Key": newKey() } }, body: { name: "Writer" } }),
      );
      if (shown) await expect(made).resolves.toEqual({ name: "Writer" });
      else await expect(made).rejects.toThrow("again");
      expect(bodies).toHaveLength(shown ? 2 : 1);
      expect(bodies.at(-1)).toBe(bodies[0]);
      stop();
    }
  });
});
