import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { FakeSocket, serve } from "../test_server";
import { startLive } from "./live";

let stop: () => void;
const signedOut = vi.fn();
let client: QueryClient;
let refreshed: unknown[];
const atFirst = [["desk"], ["rings"], ["lane"], ["words"]];

beforeEach(() => {
  serve();
  vi.useFakeTimers();
  signedOut.mockClear();
  refreshed = [];
  client = new QueryClient();
  vi.spyOn(client, "invalidateQueries").mockImplementation((filters) => {
    refreshed.push(filters?.queryKey?.length ? filters.queryKey : "all");
    return Promise.resolve();
  });
  stop = startLive(client, signedOut);
});

afterEach(() => {
  stop();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const newest = () => {
  const socket = FakeSocket.all.at(-1);
  if (!socket) throw new Error("no socket");
  return socket;
};

const cut = async (code: number) => {
  newest().readyState = FakeSocket.CLOSED;
  newest().onclose?.({ code });
  await vi.advanceTimersByTimeAsync(6_000);
};

describe("the live stream", () => {
  it("resumes after a break with what it has seen", async () => {
    newest().tell({ n: 5, kind: "hello", epoch: "e1", resync: true });
    newest().tell({ n: 6, kind: "lane" });
    newest().tell({ n: 7, kind: "lane" });
    newest().tell({ n: 9, kind: "history", records: ["r1"], call_id: "c1" });
    expect(refreshed).toEqual(atFirst); // what everybody is told is read again in a moment, and once
    await cut(1006);
    expect(FakeSocket.all).toHaveLength(2);
    expect(Object.fromEntries(newest().url.searchParams)).toEqual({ epoch: "e1", after: "9" });
    expect(refreshed).toEqual([
      ...atFirst,
      ["lane"],
      ["follow-ups"],
      ["history", "r1"],
      ["record", "r1"],
      ["call", "c1"],
      ["find"],
      ["words"],
      ["calls"],
    ]);
  });

  it("fetches everything again when the server no longer knows what was missed", async () => {
    newest().tell({ n: 5, kind: "hello", epoch: "e1", resync: true });
    expect(refreshed).toEqual(atFirst); // what was looked at before the first hello, and must not be missed
    refreshed = [];
    await cut(1006);
    newest().tell({ n: 1, kind: "hello", epoch: "e2", resync: true });
    expect(refreshed).toEqual(["all"]);
    await cut(1006);
    expect(Object.fromEntries(newest().url.searchParams)).toEqual({ epoch: "e2", after: "1" });
  });

  it("takes what rings from the event, and asks only where it does not say", () => {
    newest().tell({ n: 5, kind: "hello", epoch: "e1" });
    refreshed = [];
    const ring = { call_id: "c1", display: "413 555 0142" };
    newest().tell({ n: 6, kind: "ring", rings: [ring] });
    expect(client.getQueryData(["rings"])).toEqual([ring]);
    newest().tell({ n: 7, kind: "ring", rings: [] });
    expect(client.getQueryData(["rings"])).toEqual([]);
    expect(refreshed).toEqual([]);
    newest().tell({ n: 8, kind: "ring" });
    expect(refreshed).toEqual([["rings"]]);
  });

  it("draws a ring before it reads again what was filed at the same time", async () => {
    let draw: FrameRequestCallback | undefined;
    vi.stubGlobal("requestAnimationFrame", (f: FrameRequestCallback) => {
      draw = f;
      return 1;
    });
    newest().tell({ n: 1, kind: "slip", call_id: "c1" });
    newest().tell({ n: 2, kind: "ring", rings: [{ call_id: "c2" }] });
    await vi.advanceTimersByTimeAsync(50);
    expect(refreshed).toEqual([]);
    draw?.(0);
    await vi.advanceTimersByTimeAsync(1);
    expect(refreshed).toEqual([["desk"], ["call", "c1"]]);
    refreshed = [];
    newest().tell({ n: 3, kind: "slip", call_id: "c1" }); // and in a window that is not seen, and not drawn
    newest().tell({ n: 4, kind: "ring", rings: [{ call_id: "c2" }] });
    await vi.advanceTimersByTimeAsync(119);
    expect(refreshed).toEqual([]);
    await vi.advanceTimersByTimeAsync(2);
    expect(refreshed).toEqual([["desk"], ["call", "c1"]]);
  });

  it("keeps trying while the server is away, ever more slowly", async () => {
    for (let i = 0; i < 4; i++) await cut(1006);
    expect(FakeSocket.all).toHaveLength(5);
  });

  it("does not try when the session is over, or when it was stopped", async () => {
    await cut(4401);
    expect(signedOut).toHaveBeenCalledOnce();
    expect(FakeSocket.all).toHaveLength(1);
    stop();
    await cut(1006);
    expect(FakeSocket.all).toHaveLength(1);
  });

  it("leaves notes that this window saved alone", async () => {
    newest().tell({ n: 1, kind: "slip", call_id: "c1", writer: "another window" });
    await vi.advanceTimersByTimeAsync(30);
    expect(refreshed).toEqual([["desk"], ["call", "c1"]]);
  });

  it("reads once more what was being read for the first time when something happened", async () => {
    const answers: ((n: number) => void)[] = [];
    const queryFn = () => new Promise<number>((resolve) => answers.push(resolve));
    vi.mocked(client.invalidateQueries).mockRestore();
    const observer = new QueryObserver(client, { queryKey: ["lane"], queryFn });
    const unsubscribe = observer.subscribe(vi.fn());
    newest().tell({ n: 1, kind: "lane" }); // the answer may be from before
    newest().tell({ n: 2, kind: "lane" });
    await vi.advanceTimersByTimeAsync(200);
    expect(answers).toHaveLength(1);
    answers[0]?.(1);
    await vi.advanceTimersByTimeAsync(0);
    expect(answers).toHaveLength(2);
    answers[1]?.(2);
    await vi.advanceTimersByTimeAsync(0);
    expect(observer.getCurrentResult().data).toBe(2);
    expect(answers).toHaveLength(2);
    unsubscribe();
  });
});
