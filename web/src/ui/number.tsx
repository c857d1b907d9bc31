import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, type ReactNode, Suspense, useState } from "react";

import { useRights } from "../api/rights";
import { keys } from "../api/keys";
import { api, ask, type Call, newKey, type PhoneNumber } from "../api/client";
import { queries } from "../api/queries";
import { useDial } from "../calls/dial";
import { t } from "../texts";
import { parties } from "../texts/parties";
import { Composer } from "../outreach/composer";
import { IconButton } from "./button";
import { useNow } from "./clock";
import { Letter, More } from "./icons";
import { Menu, MenuItem } from "./menu";
import { clockTime, clockTimeIn } from "./times";
import { useTell } from "./toast";
import { Tooltip } from "./tooltip";

const CallDifferently = lazy(() => import("../calls/call_differently").then((m) => ({ default: m.CallDifferently })));

/** callableText says whether and until when a number may be called, or why not. */
function callableText(n: PhoneNumber): string {
  if (n.refused) return n.refused;
  if (!n.changes_at) return "";
  const time = clockTime(n.changes_at);
  return n.in_hours ? t.number.until(time) : t.number.from(time);
}

/** A number that nobody has is known by its text alone. */
const nobodys = "00000000-0000-0000-0000-000000000000";
const wishFor = (n: PhoneNumber) =>
  n.id !== nobodys
    ? { number_id: n.id }
    : { typed: n.typed, ...(n.record_id !== nobodys ? { open_record_id: n.record_id } : {}) };

/** CallAgain is the number of a call that was, or the colleague with whom it was: a click calls again. */
export function CallAgain({ call, name }: { call: Call; name: string }) {
  const { dial } = useDial();
  const between = call.between;
  if (between) {
    const other = call.display;
    return (
      <button
        type="button"
        data-number
        className="inline-flex items-baseline py-0.5 leading-5 text-ours hover:underline"
        onClick={(e) => {
          e.stopPropagation();
          dial({ colleague_id: between.other_id }, other);
        }}
      >
        <span className="sr-only">{t.number.call} </span>
        <span className="font-semibold">{other}</span>
      </button>
    );
  }
  if (!call.number) return call.display;
  return <Number number={call.number} name={name} form="bare" />;
}

/** Number is a telephone number wherever one stands: readable, with what a click will do; one click calls. */
export function Number({
  number: n,
  name,
  form = "line",
  now: state,
  tabIndex,
  items,
}: {
  number: PhoneNumber;
  name: string;
  form?: "line" | "bare" | "card";
  now?: string | undefined;
  tabIndex?: number;
  items?: ReactNode; // more for its menu
}) {
  const { dial, dialing } = useDial();
  const tell = useTell();
  const me = useQuery(queries.me).data;
  const rights = useRights();
  const [writing, setWriting] = useState(false);
  const [differing, setDiffering] = useState(false);
  const minute = useNow(30_000);
  const allowed = n.dialable && !n.refused;
  const there = n.zone ? clockTimeIn(minute, n.zone) : "";
  const what = allowed ? t.dial.will(n.label, me?.line ?? "") : n.dialable ? n.refused : t.number.notANumber;
  const about = [
    what,
    allowed && !n.valid && t.book.numbers.notGivenOut,
    there && t.number.there(there),
    n.ambiguous && t.number.ambiguous,
    !n.refused && callableText(n),
  ]
    .filter(Boolean)
    .join(" · ");
  const call = () => {
    dial(wishFor(n), name);
  };
  // Whether it may be called anyway is the server's to say.
  const refuse = () => {
    if (n.dialable && rights.may("override")) call();
    else tell(what, { bad: true });
  };
  if (form === "card") {
    return (
      <div
        className={`group flex max-w-64 min-w-44 items-stretch rounded-md border ${state ? "border-ours bg-ours-soft" : "border-rule-strong bg-paper"} ${allowed ? "hover:border-ours" : ""}`}
      >
        <Tooltip text={about}>
          <button
            type="button"
            aria-disabled={!allowed || dialing}
            onClick={allowed ? call : refuse}
            className="min-w-0 flex-1 px-3 py-1.5 text-left"
          >
            {allowed && <span className="sr-only">{t.number.call} </span>}
            <span className="block truncate text-sm text-quiet">
              {n.label}
              {state
                ? ` · ${state}`
                : n.refused
                  ? ` · ${t.number.notToBeCalled}`
                  : there
                    ? ` · ${t.number.there(there)}`
                    : ""}
              {!state && !n.refused && !n.in_hours && n.changes_at && (
                <span className="text-waiting"> · {t.number.fromShort(clockTime(n.changes_at))}</span>
              )}
            </span>
            <span
              className={`block text-[1.0625rem] leading-6 font-semibold ${allowed ? "text-ours" : "text-quiet line-through"}`}
            >
              {n.display}
            </span>
            <span className="sr-only"> {name}</span>
          </button>
        </Tooltip>
        <span className="flex flex-col">
          <NumberMenu
            n={n}
            name={name}
            allowed={allowed}
            call={call}
            items={items}
            onDifferently={
              n.dialable
                ? () => {
                    setDiffering(true);
                  }
                : undefined
            }
          />
          {n.dialable && (
            <IconButton
              label={t.after.post.textTo(n.display)}
              className="mx-1"
              onClick={() => {
                setWriting(true);
              }}
            >
              <Letter />
            </IconButton>
          )}
        </span>
        {differing && (
          <Suspense fallback={null}>
            <CallDifferently
              wish={wishFor(n)}
              display={n.display}
              name={name}
              onClose={() => {
                setDiffering(false);
              }}
            />
          </Suspense>
        )}
        {writing && (
          <Composer
            channel="text"
            to={{ record: { id: n.record_id, name }, number: { id: n.id, display: n.display } }}
            onClose={() => {
              setWriting(false);
            }}
          />
        )}
      </div>
    );
  }
  return (
    <Tooltip text={about}>
      <button
        type="button"
        data-number
        tabIndex={tabIndex}
        aria-disabled={!allowed || dialing}
        onClick={(e) => {
          e.stopPropagation();
          if (allowed) call();
          else refuse();
        }}
        className={`inline-flex items-baseline gap-1.5 py-0.5 leading-5 whitespace-nowrap ${allowed ? "text-ours hover:underline" : "text-quiet line-through"}`}
      >
        {allowed && <span className="sr-only">{t.number.call} </span>}
        <span className="font-semibold">{n.display}</span>
        <span className={form === "line" ? "text-sm text-quiet no-underline" : "sr-only"}>{n.label}</span>
        <span className="sr-only"> {name}</span>
      </button>
    </Tooltip>
  );
}

function NumberMenu({
  n,
  name,
  allowed,
  call,
  items,
  onDifferently,
}: {
  n: PhoneNumber;
  name: string;
  allowed: boolean;
  call: () => void;
  items: ReactNode;
  onDifferently: (() => void) | undefined;
}) {
  const tell = useTell();
  const client = useQueryClient();
  const toLane = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/records/{id}/follow-ups", {
          params: { path: { id: n.record_id }, header: { "Idempotency-Key": newKey() } },
          body: { text: t.number.callBack },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: keys.lane() });
      tell(t.number.onLane(name));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <Menu
      trigger={
        <IconButton label={t.number.menu(n.display)} className="m-1 self-start">
          <More />
        </IconButton>
      }
      align="end"
    >
      <MenuItem disabled={!allowed} onSelect={call}>
        {t.strip.call(n.label)}
      </MenuItem>
      <MenuItem
        onSelect={() => {
          void navigator.clipboard.writeText(n.display).then(() => {
            tell(t.number.copied(n.display));
          });
        }}
      >
        {t.number.copy}
      </MenuItem>
      {onDifferently && (
        <MenuItem disabled={!allowed} onSelect={onDifferently}>
          {parties.differently.item}
        </MenuItem>
      )}
      <MenuItem
        onSelect={() => {
          toLane.mutate();
        }}
      >
        {t.number.toLane}
      </MenuItem>
      {items}
    </Menu>
  );
}
