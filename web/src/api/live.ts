// The stream of live events: it resumes after a break, and refreshes what the events concern.
import type { QueryClient, QueryKey } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

import { keys } from "./keys";
import { noteState } from "./call_states";
import { growTrace } from "../calls/live_trace";
import { type Schemas, windowId } from "./client";

type LiveEvent = Schemas["LiveEvent"];
type Desk = Schemas["Desk"];

type Connection = { connected: boolean; away: boolean; stopping?: boolean };

let state: Connection = { connected: true, away: false };
const listeners = new Set<() => void>();

function set(next: Partial<Connection>) {
  state = { ...state, ...next };
  for (const tell of listeners) tell();
}

/** useConnection tells whether the server is reached and its database is there. */
export function useConnection(): Connection {
  return useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => state,
  );
}

/** onBack calls f whenever saving has become possible again. */
export function onBack(f: () => void): () => void {
  let before = state;
  const watch = () => {
    if ((!before.connected || before.away) && state.connected && !state.away) f();
    before = state;
  };
  listeners.add(watch);
  return () => listeners.delete(watch);
}

type Colleague = Schemas["Colleague"];
const freeListeners = new Set<(c: Colleague) => void>();

/** onFree calls f when a colleague is free for whom this user waits. */
export function onFree(f: (c: Colleague) => void): () => void {
  freeListeners.add(f);
  return () => freeListeners.delete(f);
}

const wordListeners = new Set<(word: string) => void>();

/** onWord calls f when the server has something to say to this user once. */
export function onWord(f: (word: string) => void): () => void {
  wordListeners.add(f);
  return () => wordListeners.delete(f);
}

const lifeAsk = 7_000; // milliseconds without a word until the server is asked for one
const lifePatience = 3_000; // and until it is given up

const atOnce = [keys.desk(), keys.rings(), keys.lane(), keys.words()]; // words are written down a moment after the call that they were said in

/** startLive opens the stream and keeps it open; the answer closes it. */
export function startLive(client: QueryClient, onSignedOut: () => void): () => void {
  let epoch = "";
  let seen = 0;
  let tries = 0;
  let stopped = false;
  let socket: WebSocket | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let life: ReturnType<typeof setTimeout> | undefined;

  const open = () => {
    const address = new URL("/api/live", location.href);
    address.protocol = address.protocol.replace("http", "ws");
    address.searchParams.set("epoch", epoch);
    address.searchParams.set("after", String(seen));
    const opened = new WebSocket(address);
    socket = opened;
    heard();
    socket.onmessage = (message: MessageEvent<string>) => {
      if (socket !== opened) return; // one that was given up
      heard();
      if (message.data.startsWith('{"kind":"pong"')) return;
      const event = JSON.parse(message.data) as LiveEvent;
      if (event.kind === "hello") {
        tries = 0;
        const fresh = epoch === "";
        epoch = event.epoch ?? "";
        if (fresh) {
          // What happened after the first look and before this was told to nobody: what must not be missed is looked at again.
          for (const key of atOnce) readAgain(client, key);
        } else if (event.resync) readAgain(client);
        if (event.resync || event.n > seen) seen = event.n;
        set({ connected: true, stopping: false });
        return;
      }
      seen = event.n;
      apply(client, event);
    };
    socket.onclose = (close) => {
      if (stopped || socket !== opened) return;
      if (close.code === 4401) {
        onSignedOut();
        return;
      }
      tries++;
      // A resume that the server asks for is no break worth a word.
      if (close.code !== 1013) set({ connected: false });
      timer = setTimeout(open, Math.min(5_000, 200 * 2 ** Math.min(tries, 5)) * (0.7 + Math.random() * 0.6));
    };
  };
  // A way that is half open says nothing of it: the server is asked for a sign of life, and given up where none comes.
  const heard = () => {
    clearTimeout(life);
    life = setTimeout(() => {
      if (socket?.readyState === WebSocket.OPEN) socket.send('{"kind":"ping"}');
      life = setTimeout(() => {
        const dead = socket;
        socket = undefined;
        dead?.close();
        set({ connected: false });
        open();
      }, lifePatience);
    }, lifeAsk);
  };
  const hurry = () => {
    if (socket?.readyState === WebSocket.CLOSED) {
      clearTimeout(timer);
      open();
    }
  };
  window.addEventListener("online", hurry);
  open();
  return () => {
    stopped = true;
    clearTimeout(timer);
    clearTimeout(life);
    window.removeEventListener("online", hurry);
    socket?.close();
  };
}

const afterwards = new WeakSet<Promise<unknown>>();

/** readAgain has what is shown read again: what key begins, or everything. What is just being read for the first time, which may have
 * been answered before the change, is read once more when it is there: invalidating alone would take that answer for a new one. */
function readAgain(client: QueryClient, key: QueryKey = []) {
  for (const query of client.getQueryCache().findAll({ queryKey: key, fetchStatus: "fetching" })) {
    const first = query.state.data === undefined ? query.promise : undefined;
    if (!first || afterwards.has(first)) continue;
    afterwards.add(first);
    const exactly = { queryKey: query.queryKey, exact: true };
    const again = () => client.invalidateQueries(exactly);
    first.then(again, again);
  }
  void client.invalidateQueries({ queryKey: key });
}

const together = 120; // milliseconds: what is told to everybody comes in bursts, and is read again once for each
const breath = 30; // and what is one's own, since a ring may come with what made it possible

/** later has what key begins read again in so many milliseconds, once for all events until then. */
function later(client: QueryClient, key: QueryKey, wait: number) {
  const all = due.get(client) ?? new Map<number, Map<string, QueryKey>>();
  due.set(client, all);
  let waiting = all.get(wait);
  if (!waiting) {
    const keys = new Map<string, QueryKey>();
    waiting = keys;
    all.set(wait, keys);
    setTimeout(() => {
      all.delete(wait);
      void ringDrawn.then(() => {
        for (const each of keys.values()) readAgain(client, each);
      });
    }, wait);
  }
  waiting.set(JSON.stringify(key), key);
}
const due = new WeakMap<QueryClient, Map<number, Map<string, QueryKey>>>();

let ringDrawn: Promise<void> = Promise.resolve(); // what came last: nothing is read again while it is being drawn

/** drawing is until the window has been drawn with what it was told just now; not for long in one that is not seen. */
const drawing = () =>
  new Promise<void>((done) => {
    setTimeout(done, together);
    requestAnimationFrame(() => setTimeout(done));
  });

function apply(client: QueryClient, event: LiveEvent) {
  // What is one's own is read again at once, what everybody is told in a moment.
  const own = ["call", "sound", "ring"].includes(event.kind);
  const refresh = (key: QueryKey) => {
    if (own) readAgain(client, key);
    else later(client, key, event.kind === "slip" || key[0] === "desk" ? breath : together);
  };
  switch (event.kind) {
    case "call": {
      if (!event.call) return;
      const next = noteState(event.call);
      client.setQueryData<Desk>(
        keys.desk(),
        (desk) =>
          desk && { ...desk, calls: desk.calls.map((c) => (c.id === next.call_id ? { ...c, state: next } : c)) },
      );
      if (next.saved) refresh(keys.call(next.call_id));
      return;
    }
    case "voices":
      if (event.call_id && event.trace) growTrace(event.call_id, event.trace, event.loud);
      return;
    case "sound":
      refresh(keys.sound());
      return;
    case "ring":
      if (!event.rings) {
        refresh(keys.rings());
        return;
      }
      // What is being read was answered before this happened, or will be told again.
      void client.cancelQueries({ queryKey: keys.rings() });
      if (event.rings.length > 0) ringDrawn = drawing();
      client.setQueryData(keys.rings(), event.rings);
      return;
    case "slip":
      if (event.writer !== windowId) refresh(keys.desk());
      if (event.call_id) refresh(keys.call(event.call_id));
      return;
    case "history":
      for (const id of event.records ?? []) {
        refresh(keys.history(id));
        refresh(keys.record(id));
      }
      if (!event.call_id) refresh(keys.thread());
      if (event.call_id) {
        refresh(keys.call(event.call_id));
        refresh(keys.find()); // which offers the calls just made
        refresh(keys.words()); // what was said in it may have been written down meanwhile
      }
      if (client.getQueryData<Desk>(keys.desk())?.calls.some((c) => c.id === event.call_id)) refresh(keys.desk());
      refresh(keys.calls());
      return;
    case "record":
      // Without names it is many: whatever is shown is read again.
      if (!event.records?.length) {
        refresh(keys.history());
        refresh(keys.record());
      }
      for (const id of event.records ?? []) {
        refresh(keys.history(id));
        refresh(keys.record(id));
      }
      refresh(keys.rows());
      return;
    case "book":
      refresh(keys.book());
      refresh(keys.me());
      refresh(keys.lists());
      refresh(keys.duplicates());
      return;
    case "import":
      refresh(keys.imports());
      return;
    case "team":
      refresh(keys.team());
      refresh(keys.whom());
      return;
    case "free":
      if (event.colleague) for (const tell of freeListeners) tell(event.colleague);
      return;
    case "waiting":
      refresh(keys.waiting());
      refresh(keys.queues());
      return;
    case "word":
      if (event.word) for (const tell of wordListeners) tell(event.word);
      refresh(keys.me());
      return;
    case "round":
      if (event.round_id) refresh(keys.round(event.round_id));
      else refresh(keys.round());
      refresh(keys.rounds());
      return;
    case "lane":
      refresh(keys.lane());
      refresh(keys.followUps());
      return;
    case "saving":
      if (event.stopping) {
        set({ stopping: true });
        return;
      }
      set({ away: event.away ?? false });
      if (!event.away) readAgain(client);
  }
}
