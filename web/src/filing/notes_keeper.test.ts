import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, windowId } from "../api/client";
import { NotesKeeper } from "./notes_keeper";

type Answer = { status: number; body: unknown };

const server = { body: "", version: 0, saved: true };
let answers: (Answer | Error)[] = [];
let sent: { body: string; base: number }[] = [];
let writers: string[] = [];

beforeEach(() => {
  vi.useFakeTimers();
  localStorage.clear();
  answers = [];
  sent = [];
  writers = [];
  vi.spyOn(api, "PUT").mockImplementation(((
    _path: string,
    init: { body: { body: string; base: number; writer: string } },
  ) => {
    sent.push({ body: init.body.body, base: init.body.base });
    writers.push(init.body.writer);
    const next = answers.shift() ?? {
      status: 200,
      body: { body: init.body.body, version: init.body.base + 1, saved: true },
    };
    if (next instanceof Error) return Promise.reject(next);
    const response = new Response(null, { status: next.status });
    return Promise.resolve(next.status < 300 ? { data: next.body, response } : { error: next.body, response });
  }) as never);
});

afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
});

describe("the keeper of notes", () => {
  it("saves after a pause, once for many letters", async () => {
    const keeper = new NotesKeeper("s1", server);
    for (const text of ["W", "Wa", "Wan"]) keeper.type(text);
    expect(keeper.get().status).toBe("browser");
    expect(localStorage.getItem(`trundo.notes.s1.${windowId}`)).toContain("Wan");
    await vi.advanceTimersByTimeAsync(300);
    expect(sent).toEqual([{ body: "Wan", base: 0 }]);
    expect(keeper.get().status).toBe("saved");
    expect(localStorage.getItem(`trundo.notes.s1.${windowId}`)).toBeNull();
  });

  it("saves within a second while somebody types without a pause", async () => {
    const keeper = new NotesKeeper("s2", server);
    for (let i = 1; i <= 10; i++) {
      keeper.type("x".repeat(i));
      await vi.advanceTimersByTimeAsync(100);
    }
    expect(sent.length).toBeGreaterThanOrEqual(1);
  });

  it("keeps what did not arrive, and tries again", async () => {
    answers = [new Error("no network"), new Error("no network")];
    const keeper = new NotesKeeper("s3", server);
    keeper.type("kept");
    await vi.advanceTimersByTimeAsync(400);
    expect(keeper.get().status).toBe("browser");
    expect(localStorage.getItem(`trundo.notes.s3.${windowId}`)).toContain("kept");
    await vi.advanceTimersByTimeAsync(5_000);
    expect(keeper.get().status).toBe("saved");
    expect(sent.length).toBe(3);
  });

  it("says so while the database is away, and sends again until it is saved", async () => {
    answers = [{ status: 202, body: { body: "kept", version: 0, saved: false } }];
    const keeper = new NotesKeeper("s4", server);
    keeper.type("kept");
    await vi.advanceTimersByTimeAsync(400);
    expect(keeper.get().status).toBe("server");
    expect(localStorage.getItem(`trundo.notes.s4.${windowId}`)).toContain("kept");
    await vi.advanceTimersByTimeAsync(2_500);
    expect(keeper.get().status).toBe("saved");
  });

  it("goes on after a reload where it was", async () => {
    localStorage.setItem(`trundo.notes.s5.${windowId}`, JSON.stringify({ body: "half a thou", base: 0, at: 1 }));
    const keeper = new NotesKeeper("s5", server);
    expect(keeper.get().body).toBe("half a thou");
    await vi.advanceTimersByTimeAsync(10);
    expect(sent).toEqual([{ body: "half a thou", base: 0 }]);
  });

  it("takes up what a closed window left, but not what a living one is writing", async () => {
    localStorage.setItem("trundo.notes.s9.closed", JSON.stringify({ body: "left behind", base: 0, at: 1 }));
    localStorage.setItem("trundo.notes.s9.alive", JSON.stringify({ body: "being written", base: 0, at: Date.now() }));
    const keeper = new NotesKeeper("s9", server);
    await vi.advanceTimersByTimeAsync(10);
    expect(keeper.get().body).toBe("left behind");
    expect(sent).toEqual([{ body: "left behind", base: 0 }]);
    expect(localStorage.getItem("trundo.notes.s9.closed")).toBeNull();
    expect(localStorage.getItem("trundo.notes.s9.alive")).not.toBeNull();
  });

  it("goes on with what a closed window had half saved, under that window's name: the server says whether anybody wrote since", async () => {
    localStorage.setItem("trundo.notes.s11.closed", JSON.stringify({ body: "half a thought", base: 0, at: 1 }));
    const keeper = new NotesKeeper("s11", { body: "half a th", version: 1, saved: true });
    await vi.advanceTimersByTimeAsync(10);
    expect(sent).toEqual([{ body: "half a thought", base: 0 }]);
    expect(writers).toEqual(["closed"]);
    expect(keeper.get()).toMatchObject({ status: "saved", body: "half a thought" });
    keeper.type("half a thought, ended");
    await vi.advanceTimersByTimeAsync(400);
    expect(writers).toEqual(["closed", windowId]);
  });

  it("shows both where somebody else has written since", async () => {
    answers = [
      {
        status: 409,
        body: {
          code: "notes_changed",
          detail: "changed",
          status: 409,
          notes: { body: "saved since", version: 3, saved: true },
        },
      },
    ];
    localStorage.setItem("trundo.notes.s10.closed", JSON.stringify({ body: "left behind", base: 1, at: 1 }));
    const keeper = new NotesKeeper("s10", { body: "saved since", version: 3, saved: true });
    await vi.advanceTimersByTimeAsync(10);
    expect(keeper.get()).toMatchObject({ status: "conflict", body: "left behind", theirs: { body: "saved since" } });
    keeper.settle("both");
    await vi.advanceTimersByTimeAsync(10);
    expect(sent.at(-1)).toEqual({ body: "saved since\n\nleft behind", base: 3 });
    expect(writers.at(-1)).toBe(windowId);
  });

  it("loses neither text in a conflict", async () => {
    answers = [
      {
        status: 409,
        body: {
          code: "notes_changed",
          detail: "changed",
          status: 409,
          notes: { body: "theirs", version: 4, saved: true },
        },
      },
    ];
    const keeper = new NotesKeeper("s6", server);
    keeper.type("mine");
    await vi.advanceTimersByTimeAsync(400);
    expect(keeper.get().status).toBe("conflict");
    expect(await keeper.flush()).toBe(false);
    keeper.settle("both");
    await vi.advanceTimersByTimeAsync(10);
    expect(sent.at(-1)).toEqual({ body: "theirs\n\nmine", base: 4 });
    expect(keeper.get().status).toBe("saved");
  });

  it("shows what another window wrote, but never over what is being typed", async () => {
    const keeper = new NotesKeeper("s7", server);
    keeper.see({ body: "from elsewhere", version: 1, saved: true });
    expect(keeper.get().body).toBe("from elsewhere");
    keeper.type("from elsewhere, and");
    keeper.see({ body: "again from elsewhere", version: 2, saved: true });
    expect(keeper.get().body).toBe("from elsewhere, and");
    await vi.advanceTimersByTimeAsync(400);
    expect(sent.at(-1)?.base).toBe(1);
  });

  it("says what is wrong with a text that can never be saved", async () => {
    answers = [{ status: 422, body: { code: "invalid", detail: "too long", status: 422 } }];
    const keeper = new NotesKeeper("s8", server);
    keeper.type("long");
    await vi.advanceTimersByTimeAsync(400);
    expect(keeper.get()).toMatchObject({ status: "refused", problem: "too long", body: "long" });
  });

  it("is waited for where the server could not save at once, and says so where it never does", async () => {
    const kept = { status: 202, body: { body: "Wants", version: 1, saved: false } };
    answers = [kept, new Error("lost"), { status: 200, body: { body: "Wants", version: 1, saved: true } }];
    const keeper = new NotesKeeper("s12", server);
    keeper.type("Wants");
    let went = "";
    const settled = keeper.settled().then(
      () => (went = "on"),
      (e: unknown) => (went = String(e)),
    );
    await vi.advanceTimersByTimeAsync(1_000);
    await settled;
    expect(went).toBe("on");
    expect(sent).toHaveLength(3);
    answers = Array.from({ length: 40 }, () => kept);
    keeper.type("Wants a tank");
    const never = keeper.settled().then(
      () => (went = "on again"),
      (e: unknown) => (went = String(e)),
    );
    await vi.advanceTimersByTimeAsync(6_000);
    await never;
    expect(went).toContain("Error");
    answers = [{ status: 422, body: { status: 422, detail: "too long" } }];
    await expect(keeper.settled()).rejects.toThrow("too long");
  });
});
