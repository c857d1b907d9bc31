// Keeps the notes of a slip from the first letter on: in this browser at once, on the server within a second, and
// through reloads, breaks and other windows. One keeper a slip, for the life of the window.
import { api, ask, Failure, type Schemas, windowId } from "../api/client";
import { onBack } from "../api/live";
import { t } from "../texts";
import { dropDraft, keepDraft, leftDrafts, ownDraft } from "./drafts";

type Notes = Schemas["Notes"];

export type NotesState = {
  body: string;
  /** saved: in the database. server: kept beside it. browser: only here so far. */
  status: "saved" | "saving" | "server" | "browser" | "conflict" | "refused";
  savedAt: number | undefined;
  theirs: Notes | undefined;
  problem: string | undefined;
  /** What the server has hidden before it kept the notes: what looks like a payment card number. */
  hidden: Schemas["Masked"][];
};

const pause = 300; // after the last letter
const longest = 800; // while letters keep coming
const again = 2_000;
const soon = 300; // until it is tried once more, where somebody waits for it
const patience = 4_000; // of who waits

export class NotesKeeper {
  private state: NotesState;
  private base: number;
  private readonly slip: string;
  private readonly listeners = new Set<() => void>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private firstUnsent: number | undefined;
  private running: Promise<void> | undefined;
  private insists = false;
  private writer = windowId; // whose text is sent: that of a window that is no more goes under its own name

  constructor(slip: string, server: Notes) {
    this.slip = slip;
    this.base = server.version;
    this.state = {
      body: server.body,
      status: "saved",
      savedAt: server.saved_at ? Date.parse(server.saved_at) : undefined,
      theirs: undefined,
      problem: undefined,
      hidden: [],
    };
    const draft = ownDraft(slip);
    if (draft && draft.body !== server.body) {
      this.base = draft.base;
      this.state = { ...this.state, body: draft.body, status: "browser" };
      this.schedule(0);
    } else {
      dropDraft(slip);
    }
    void this.takeUp();
    onBack(() => {
      if (this.state.status !== "saved" && this.state.status !== "conflict") void this.flush();
    });
  }

  get = () => this.state;

  subscribe = (tell: () => void) => {
    this.listeners.add(tell);
    return () => this.listeners.delete(tell);
  };

  private set(next: Partial<NotesState>) {
    this.state = { ...this.state, ...next };
    for (const tell of this.listeners) tell();
  }

  /** type takes what stands in the field now. */
  type(body: string) {
    this.set({ body, status: this.state.status === "conflict" ? "conflict" : "browser", problem: undefined });
    this.keep();
    const now = Date.now();
    this.firstUnsent ??= now;
    this.schedule(Math.max(0, Math.min(pause, this.firstUnsent + longest - now)));
  }

  /** see takes what the server has now: another window may have written. */
  see(server: Notes) {
    if (server.version <= this.base && server.body !== this.state.body && this.state.status === "saved") return;
    if (this.state.status === "saved" && server.version > this.base) {
      this.base = server.version;
      this.set({ body: server.body, savedAt: server.saved_at ? Date.parse(server.saved_at) : Date.now() });
    }
  }

  /** settle ends a conflict with the text that was chosen. */
  settle(choice: "mine" | "theirs" | "both") {
    const theirs = this.state.theirs;
    if (!theirs) return;
    const mine = this.state.body;
    const body = choice === "mine" ? mine : choice === "theirs" ? theirs.body : `${theirs.body}\n\n${mine}`;
    this.base = theirs.version;
    this.writer = windowId;
    this.set({ body, status: "browser", theirs: undefined });
    this.keep();
    void this.flush();
  }

  /** insist puts back what was hidden, and keeps it as it was typed from now on. */
  insist() {
    const body = this.state.hidden.reduce((text, x) => text.replaceAll(x.mask, x.text), this.state.body);
    this.insists = true;
    this.set({ hidden: [] });
    this.type(body);
    void this.flush();
  }

  private keep() {
    keepDraft(this.slip, { body: this.state.body, base: this.base, at: Date.now() });
  }

  /** takeUp takes over what a window that is no more had not saved yet; where there is another text, both are shown. */
  private async takeUp() {
    for (const left of await leftDrafts(this.slip, () => void this.takeUp())) {
      left.drop();
      if (left.draft.body === this.state.body) continue;
      if (this.state.status === "saved") {
        // Whether anybody has written since is the server's to say: that window may go on with its own text.
        this.base = left.draft.base;
        this.writer = left.id;
        this.set({ body: left.draft.body, status: "browser" });
        this.keep();
        this.schedule(0);
      } else if (left.draft.body.trim()) {
        this.set({ status: "conflict", theirs: { body: left.draft.body, version: this.base, saved: false } });
        this.keep();
      }
    }
  }

  private schedule(ms: number) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), ms);
  }

  /** flush saves what is there and waits for it; true when it is in the database. */
  async flush(): Promise<boolean> {
    clearTimeout(this.timer);
    while (this.running) await this.running;
    if (this.state.status === "saved") return true;
    if (this.state.status === "conflict") return false;
    this.running = this.send();
    await this.running;
    this.running = undefined;
    return this.get().status === "saved";
  }

  /** settled saves what is there before something goes on with it. A server that keeps it, and could not save it yet, is asked for some seconds; what
   * stands against it is thrown. */
  async settled(): Promise<void> {
    for (const until = Date.now() + patience; !(await this.flush());) {
      const { status, problem } = this.state;
      if (status === "conflict" || status === "refused") throw new Error(problem ?? t.notes.conflict);
      if (Date.now() >= until) throw new Failure(undefined);
      await new Promise((next) => setTimeout(next, soon));
    }
  }

  private async send() {
    const body = this.state.body;
    this.firstUnsent = undefined;
    this.set({ status: "saving" });
    try {
      const saved = await ask(
        api.PUT("/api/slips/{id}/notes", {
          params: { path: { id: this.slip } },
          body: { body, base: this.base, writer: this.writer, ...(this.insists ? { insist: true } : {}) },
        }),
      );
      this.base = saved.version;
      if (saved.saved) this.writer = windowId;
      const same = this.state.body === body;
      if (saved.masked) {
        const shown = saved.masked.reduce((text, x) => text.replaceAll(x.text, x.mask), this.state.body);
        this.set({ body: shown, hidden: saved.masked });
      }
      if (saved.saved && same) {
        dropDraft(this.slip);
        this.set({ status: "saved", savedAt: Date.now() });
      } else {
        this.keep();
        this.set({ status: saved.saved ? "browser" : "server" });
        this.schedule(saved.saved ? pause : again);
      }
    } catch (e) {
      this.failed(e);
    }
  }

  private failed(e: unknown) {
    const problem = e instanceof Failure ? e.problem : undefined;
    if (problem?.code === "notes_changed" && problem.notes) {
      this.set({ status: "conflict", theirs: problem.notes });
      return;
    }
    if (problem && problem.status >= 400 && problem.status < 500 && problem.status !== 401 && problem.status !== 429) {
      this.set({ status: "refused", problem: problem.detail });
      return;
    }
    this.set({ status: "browser" });
    this.schedule(again);
  }
}

const keepers = new Map<string, NotesKeeper>();

/** flushNotes saves what is not saved yet of every slip. */
export async function flushNotes() {
  await Promise.all([...keepers.values()].map((k) => k.flush()));
}

/** keeperOf gives the keeper of a slip, made with what the server has. */
export function keeperOf(slip: string, server: Notes): NotesKeeper {
  let keeper = keepers.get(slip);
  if (!keeper) {
    keeper = new NotesKeeper(slip, server);
    keepers.set(slip, keeper);
  }
  return keeper;
}
