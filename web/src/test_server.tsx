// A server in memory for component tests: answers by method and path, and the app rendered against it.
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createMemoryHistory, RouterProvider } from "@tanstack/react-router";
import { fireEvent, render } from "@testing-library/react";
import { vi } from "vitest";

import type { Call, Me, PhoneNumber, RecordRow, Schemas } from "./api/client";
import { makeRouter } from "./shell/router";
import { ToastProvider } from "./ui/toast";
import { TooltipProvider } from "./ui/tooltip";

export const ids = {
  ines: "i",
  berit: "11111111-1111-7111-8111-111111111111",
  nursery: "22222222-2222-7222-8222-222222222222",
};

const plain = { needs_follow_up: false, directions: [], call_type_ids: [], acts: false };

export const me: Me = {
  id: ids.ines,
  login: "ines",
  name: "Ines Calloway",
  role: "rep",
  role_name: "Rep",
  rights: {},
  zone: "America/New_York",
  line: "413 555 0110",
  demo: true,
  second_factor: false,
  second_factor_missing: false,
  simulated: true,
  sound: true,
  availability: { id: "s1", label: "Available", takes_calls: true },
  availabilities: [
    { id: "s1", label: "Available", takes_calls: true },
    { id: "s2", label: "Away", takes_calls: false },
  ],
  preferences: { opens: "answer", address_template: "", greeting: "" },
  firm: { name: "Lindenfall Cisterns", region: "US", outcome_needed: true, type_needed: false, wrap_seconds: 0 },
  outcomes: [
    { id: "o1", label: "Visit agreed", reached: true, needs_notes: false, ...plain },
    { id: "o2", label: "Wants an offer", reached: true, needs_notes: true, ...plain },
  ],
  call_types: [{ id: "t1", label: "Enquiry" }],
  live_epoch: "e",
};

/** meWith is somebody with some rights, each to everything. */
export const meWith = (...rights: string[]): Me => ({
  ...me,
  rights: Object.fromEntries(rights.map((r) => [r, "all" as const])),
});

export const mobile: PhoneNumber = {
  id: "n1",
  record_id: ids.berit,
  label: "mobile",
  display: "413 555 0142",
  typed: "413 555 0142",
  valid: true,
  dialable: true,
  refused: "",
  in_hours: true,
  changes_at: null,
  zone: "America/New_York",
  ambiguous: false,
};

export const row: RecordRow = {
  id: ids.berit,
  kind: "contact",
  name: "Berit Osterlund",
  job: "Head grower",
  stage: "customer",
  owner_name: "Ines Calloway",
  company: { id: ids.nursery, kind: "company", name: "Vesper Hollow Nursery" },
  numbers: [mobile],
  values: { owner: "Ines Calloway", company: "Vesper Hollow Nursery", stage: "customer" },
};

const field = (key: string, label: string, type: Schemas["FieldDef"]["type"], more: object = {}) => ({
  key,
  label,
  type,
  choices: [],
  ref_kinds: [],
  required: false,
  computed: false,
  ops: ["is", "contains", "empty"],
  custom_id: null,
  place: "side" as const,
  ...more,
});

const peopleFields = [
  field("job", "Job", "text", { place: "top" }),
  field("company", "Company", "ref", { place: "top", ref_kinds: ["company"] }),
  field("email", "Mail", "mail"),
  field("stage", "Stage", "choice", { place: "top", choices: ["enquiry", "customer"] }),
  field("owner", "Owner", "user"),
  field("note", "Note", "long"),
  field("custom.tank", "Tank", "text"),
];

export const bookOf = (): Schemas["Book"] => ({
  people_fields: [field("name", "Name", "text", { computed: true }), ...peopleFields],
  kinds: (["contact", "lead"] as const)
    .map((kind): Schemas["KindDef"] => ({ kind, fields: peopleFields }))
    .concat([{ kind: "company", fields: [field("name", "Name", "text", { required: true })] }]),
  labels: ["mobile", "office"],
  people: [
    {
      id: ids.ines,
      name: "Ines Calloway",
      extension: "21",
      team: "Sales",
      availability: "Available",
      free: true,
      reached: true,
      since: null,
    },
  ],
  currency: "USD",
});

const company = { id: ids.nursery, kind: "company" as const, name: "Vesper Hollow Nursery" };

/** filled is a sheet with other texts in its fields. */
export const sheetWith = (texts: Record<string, string>, version = 4): Schemas["Record"] => ({
  ...row,
  values: ["job", "company", "email", "stage", "owner", "note", "custom.tank"].map((key) => ({
    key,
    value: texts[key] ?? "",
    text: texts[key] ?? "",
    ref: key === "company" ? company : null,
  })),
  source: "Spring show leaflet",
  note: texts["note"] ?? "",
  people: [],
  related: [],
  items: [],
  totals: [],
  follow_ups: [],
  touches: 3,
  conversations: 2,
  refused: "",
  do_not_call: false,
  number_order: [],
  merge: null,
  deleted: false,
  may_remove: true,
  version,
});

export const texts = {
  job: "Head grower",
  company: "Vesper Hollow Nursery",
  email: "berit@vesper.example",
  stage: "customer",
  owner: "Ines Calloway",
  note: "Mornings are best.",
  "custom.tank": "12,000 l",
};

export const sheet = sheetWith(texts);

export function callOf(
  rest: Partial<Call> = {},
  slip: Partial<Call["slip"]> = {},
  state: Partial<Call["state"]> = {},
): Call {
  // The firm's two, and the third that some tests add to them.
  const third = ["o3", "o6"].map((id) => ({ id, place: 2 }));
  const offered =
    rest.direction === "internal" ? [] : [...me.outcomes.map((o, place) => ({ id: o.id, place })), ...third];
  return {
    id: "c1",
    direction: "outbound",
    withheld: false,
    missed_why: "",
    display: "413 555 0142",
    label: "mobile",
    shown: "Sales 413 555 0110",
    shown_reason: "your line",
    device: "browser",
    dial_ms: 0,
    ring_ms: 0,
    talk_ms: 0,
    message_ms: 0,
    by_hand: false,
    unconfirmed: false,
    dial_to: "",
    line: "Sales",
    source: "Sales line",
    company_line: null,
    links: [
      { record: { id: ids.berit, kind: "contact", name: "Berit Osterlund" }, role: "person", reason: "" },
      { record: { id: ids.nursery, kind: "company", name: "Vesper Hollow Nursery" }, role: "company", reason: "" },
    ],
    ...rest,
    state: {
      call_id: rest.id ?? "c1",
      seq: 1,
      phase: "ringing",
      on_hold: false,
      muted: false,
      started_at: new Date().toISOString(),
      rang_at: new Date().toISOString(),
      answered_at: null,
      ended_at: null,
      end_reason: "",
      saved: true,
      ...state,
    },
    slip: {
      offered,
      id: `slip-of-${rest.id ?? "c1"}`,
      rep_id: ids.ines,
      rep_name: "Ines Calloway",
      state: "open",
      subject: "",
      call_type_id: null,
      call_type: "",
      outcome_id: null,
      outcome: "",
      outcome_reached: false,
      asks_who: false,
      candidates: [],
      notes: { body: "", version: 0, saved: true, saved_at: null },
      filed_at: null,
      version: 1,
      mine: true,
      ...slip,
    },
  };
}

export type Asked = { method: string; path: string; search: string; body: unknown };
type Answer = { status?: number; body?: unknown };
type Answerer = (asked: Asked) => Answer | undefined | Promise<Answer>;

const usual = (): Record<string, unknown> => ({
  "GET /api/lane": { owed: [], today: 0, just_now: [], at: new Date().toISOString() },
  "GET /api/session": me,
  "GET /api/demo/people": [{ login: "ines", name: "Ines Calloway", role: "rep", team: "Sales", password: "x" }],
  "GET /api/desk": { calls: [] },
  "GET /api/rings": [],
  "GET /api/find": { records: [row], colleagues: [], dial: null, recent: [] },
  "GET /api/book": bookOf(),
  "POST /api/book/rows": { offset: 0, rows: [row] },
  "POST /api/book/count": { count: 1, more: false },
  "GET /api/lists": [],
  "GET /api/duplicates": { pairs: [], total: 0, running: false },
  "POST /api/duplicates/check": [],
  [`GET /api/records/${ids.berit}/duplicates`]: [],
  [`GET /api/records/${ids.berit}`]: sheet,
  [`GET /api/records/${ids.berit}/history`]: { entries: [], next: "" },
  "GET /api/calls": { calls: [], next: "" },
});

export const problem = (status: number, code: string, detail: string, more: object = {}): Answer => ({
  status,
  body: { type: "about:blank", title: code, status, code, detail, ...more },
});

/** FakeSocket stands for the stream of live events; the newest one can be made to tell something. */
export class FakeSocket {
  static readonly CLOSED = 3;
  static all: FakeSocket[] = [];
  readyState = 1;
  onmessage: ((m: { data: string }) => void) | null = null;
  onclose: ((c: { code: number }) => void) | null = null;
  readonly url: URL;
  constructor(url: URL) {
    this.url = url;
    FakeSocket.all.push(this);
  }
  close() {
    this.readyState = FakeSocket.CLOSED;
  }
  tell(event: object) {
    this.onmessage?.({ data: JSON.stringify(event) });
  }
}

/** serve answers what answer does not with the usual, and remembers what was asked. */
export function serve(answer: Answerer = () => undefined): Asked[] {
  const log: Asked[] = [];
  FakeSocket.all = [];
  vi.stubGlobal("WebSocket", FakeSocket);
  vi.stubGlobal("fetch", async (request: Request) => {
    const { pathname: path, search } = new URL(request.url, "http://localhost");
    const text = request.method === "GET" ? "" : await request.text();
    const asked: Asked = { method: request.method, path, search, body: text ? JSON.parse(text) : undefined };
    log.push(asked);
    const found = (await answer(asked)) ?? { body: usual()[`${asked.method} ${path}`] };
    if (found.body === undefined && found.status === undefined)
      return new Response(JSON.stringify({ detail: `nothing at ${path}` }), { status: 404 });
    return new Response(found.status === 204 ? null : JSON.stringify(found.body), {
      status: found.status ?? 200,
      headers: { "Content-Type": "application/json" },
    });
  });
  return log;
}

/** asked are the requests of one kind. */
export const asked = (log: Asked[], method: string, path: string) =>
  log.filter((a) => a.method === method && a.path === path);

/** keyDown presses a key where the focus is. */
export const keyDown = (key: string, more: object = {}) =>
  fireEvent.keyDown(document.activeElement ?? document.body, { key, ...more });

/** command presses the command key and then another. */
export const command = (key: string) => {
  keyDown("F2");
  keyDown(key);
};

/** open renders the whole app at an address. */
export function open(path: string) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false }, mutations: { retry: false } } });
  const router = makeRouter(client);
  router.update({ ...router.options, history: createMemoryHistory({ initialEntries: [path] }) } as never);
  render(
    <QueryClientProvider client={client}>
      <TooltipProvider>
        <ToastProvider>
          <RouterProvider router={router} />
        </ToastProvider>
      </TooltipProvider>
    </QueryClientProvider>,
  );
  return router;
}
