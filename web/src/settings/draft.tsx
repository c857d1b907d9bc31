// Settings that are being changed: what was typed stays through refetches and other pages, and what a colleague saved meanwhile is shown, not overwritten.
import { type ReactNode, useState } from "react";

import { t } from "../texts";
import { Button } from "../ui/button";

const w = t.after.drafts;

type Kept<T> = { base: T; mine: T };

/** Drafts outlive their page, for as long as the window is there and the same person sits at it. */
const kept = new Map<string, Kept<unknown>>();

/** dropSettingsDrafts forgets them, at the sign-out. */
export function dropSettingsDrafts() {
  kept.clear();
}

/** What changes without anybody's doing is no change. */
const computed = new Set(["members", "used", "stopped", "secret", "public_holidays"]);
const same = (a: unknown, b: unknown) => plain(a) === plain(b);
const plain = (x: unknown) => JSON.stringify(x, (k, v: unknown) => (computed.has(k) ? undefined : v));

const uuid = /^[\da-f]{8}-[\da-f-]{27}$/;

/** texts are all that stands in settings, to show in which two differ. */
function texts(x: unknown): string[] {
  if (typeof x === "string") return x === "" || uuid.test(x) ? [] : [x];
  if (typeof x === "number") return [String(x)];
  if (Array.isArray(x)) return x.flatMap(texts);
  if (x === null || typeof x !== "object") return [];
  return Object.entries(x).flatMap(([k, v]) => (computed.has(k) ? [] : texts(v)));
}

/** useDraft keeps what is typed upon settings of the server. notice is shown where somebody else has saved others since; saved is called when one has saved. */
export function useDraft<T>(name: string, server: T) {
  const [now, setNow] = useState<Kept<T>>(
    () => (kept.get(name) as Kept<T> | undefined) ?? { base: server, mine: server },
  );
  const keep = (next: Kept<T>) => {
    if (same(next.base, next.mine)) kept.delete(name);
    else kept.set(name, next);
    setNow(next);
  };
  const touched = !same(now.base, now.mine);
  const notice: ReactNode = touched && !same(now.base, server) && !same(now.mine, server) && (
    <Changed
      theirs={texts(server)}
      mine={texts(now.mine)}
      take={() => {
        keep({ base: server, mine: server });
      }}
      stay={() => {
        keep({ base: server, mine: now.mine });
      }}
    />
  );
  return {
    draft: touched ? now.mine : server,
    setDraft: (mine: T) => {
      keep({ base: touched ? now.base : server, mine });
    },
    saved: (as: T) => {
      keep({ base: as, mine: as });
    },
    notice,
  };
}

/** Changed shows in what two settings differ, and lets one choose. */
function Changed({
  theirs,
  mine,
  take,
  stay,
}: {
  theirs: string[];
  mine: string[];
  take: () => void;
  stay: () => void;
}) {
  const only = (a: string[], b: string[]) => [...new Set(a.filter((x) => !b.includes(x)))];
  return (
    <div role="alert" className="mb-3 border border-waiting p-3">
      <p className="font-semibold">{w.changed}</p>
      {[
        { title: w.theirs, all: only(theirs, mine) },
        { title: w.mine, all: only(mine, theirs) },
      ].map(
        (x) =>
          x.all.length > 0 && (
            <div key={x.title} className="mt-1">
              <p className="text-sm text-quiet">{x.title}</p>
              <ul className="max-h-32 overflow-auto whitespace-pre-wrap">
                {x.all.map((text) => (
                  <li key={text}>{text}</li>
                ))}
              </ul>
            </div>
          ),
      )}
      <div className="mt-2 flex gap-2">
        <Button type="button" onClick={take}>
          {w.take}
        </Button>
        <Button type="button" onClick={stay}>
          {w.stay}
        </Button>
      </div>
    </div>
  );
}
