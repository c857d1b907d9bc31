// The one way to the server: typed by the contract, with problems as errors.
import createClient from "openapi-fetch";

import { t } from "../texts";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Call = Schemas["Call"];
export type CallState = Schemas["CallState"];
export type PhoneNumber = Schemas["PhoneNumber"];
export type RecordRow = Schemas["RecordRow"];
export type RecordRef = Schemas["RecordRef"];
export type Me = Schemas["Me"];
export type Problem = Schemas["Problem"];

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => globalThis.fetch(request),
});

// Settings that are saved as a whole are saved only upon what was read last: another page of the same may have added something since.
const tags = new Map<string, string>();
api.use({
  onRequest({ request }) {
    const tag = request.method === "PUT" && tags.get(new URL(request.url).pathname);
    if (tag) request.headers.set("If-Match", tag);
    return request;
  },
  onResponse({ request, response }) {
    const tag = response.headers.get("ETag");
    if (tag && response.ok) tags.set(new URL(request.url).pathname, tag);
  },
});

// What gives rights or takes something away for good is asked for again once it is shown who sits there.
let prover: (() => Promise<boolean>) | undefined;
const again = new WeakMap<Request, Request>();

/** proveBy sets who shows it, and gives what takes that back. */
export function proveBy(prove: () => Promise<boolean>): () => void {
  prover = prove;
  return () => {
    if (prover === prove) prover = undefined;
  };
}

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") again.set(request, request.clone());
    return request;
  },
  async onResponse({ request, response }) {
    const copy = again.get(request);
    if (response.status !== 403 || !copy || !prover) return;
    const { code } = (await response.clone().json()) as { code?: string };
    if (code === "prove" && (await prover())) return globalThis.fetch(copy);
    return;
  },
});

// A wish that was sent and not answered may have been carried out: who asks for the same again within a minute asks with the same key.
const idempotencyKey = "Idempotency-Key";
const wishLasts = 60_000;
const unanswered = new Map<string, { key: string; at: number }>();
const wishes = new WeakMap<Request, string>();
api.use({
  async onRequest({ request }) {
    const key = request.headers.get(idempotencyKey);
    if (!key) return request;
    const wish = `${request.url} ${await request.clone().text()}`;
    const before = unanswered.get(wish);
    const at = Date.now();
    if (before && at - before.at < wishLasts) request.headers.set(idempotencyKey, before.key);
    else unanswered.set(wish, { key, at });
    wishes.set(request, wish);
    return request;
  },
  onResponse({ request, response }) {
    const wish = wishes.get(request);
    if (wish !== undefined && response.status < 500 && response.status !== 429) unanswered.delete(wish);
  },
});

/** Failure is a request that the server refused, with its problem, or that never reached it. */
export class Failure extends Error {
  readonly problem: Problem | undefined;
  constructor(problem: Problem | undefined) {
    super(problem?.detail ?? t.failed.network);
    this.problem = problem;
  }
  get code(): string {
    return this.problem?.code ?? "unreachable";
  }
}

/** ask awaits a request and gives its data, or throws a Failure. */
export async function ask<T>(request: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await request;
  } catch {
    throw new Failure(undefined);
  }
  if (answer.error !== undefined || !answer.response.ok) {
    const p = answer.error as Partial<Problem> | undefined;
    throw new Failure(p && typeof p === "object" && p.detail ? (p as Problem) : fallback(answer.response.status));
  }
  return answer.data as T;
}

function fallback(status: number): Problem {
  return { type: "about:blank", title: "", status, detail: t.failed.unknown, code: "unknown" };
}

/** newKey names one wish of the user, so that asking twice does it once. */
export function newKey(): string {
  return crypto.randomUUID();
}

/** windowId names this window for its whole life, also across a reload. */
export const windowId: string = (() => {
  const navigation = performance.getEntriesByType("navigation")[0] as PerformanceNavigationTiming | undefined;
  const kept = sessionStorage.getItem("window");
  // A duplicated tab copies the storage, but is no reload of its model.
  if (kept && navigation?.type === "reload") return kept;
  const made = crypto.randomUUID();
  sessionStorage.setItem("window", made);
  return made;
})();
