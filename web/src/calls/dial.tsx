// Calling: the one way from any number to a call.
import { useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useMemo, useRef, useState } from "react";

import { keys } from "../api/keys";
import { withNewest } from "../api/call_states";
import { api, ask, type Call, Failure, newKey, type Schemas } from "../api/client";
import { t } from "../texts";
import { dialInRound } from "../rounds/round";
import { holdKeys } from "../shell/keys";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";
import { focusSlip } from "./focus";

type Wish = { request: Schemas["NewCall"]; to: string; key: string }; // the key is made when the wish arises
type Dial = { dial: (request: Schemas["NewCall"], to: string) => void; dialing: boolean };

const Context = createContext<Dial>({ dial: () => undefined, dialing: false });

/** aboutOpen names the record whose page is open: a call placed there may be about it. */
function aboutOpen(request: Schemas["NewCall"]): Schemas["NewCall"] {
  const open = /^\/records\/([0-9a-f-]{36})$/.exec(location.pathname)?.[1];
  return open && request.number_id ? { open_record_id: open, ...request } : request;
}

/** askedAbout are the numbers that were called outside their hours after a question, by day: each is asked about once. */
const askedAbout = new Map<string, string>();
const numberOf = (r: Schemas["NewCall"]) => r.number_id ?? r.typed ?? "";
const today = () => new Date().toDateString();

/** useDial gives the way to call a stored number or a typed one; to is how it is named in questions. */
export const useDial = () => useContext(Context);

export function DialProvider({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const tell = useTell();
  const [asked, setAsked] = useState<{ wish: Wish; inCall: string }>();
  const [refused, setRefused] = useState<{ wish: Wish; why: string }>();
  const [outside, setOutside] = useState<{ wish: Wish; why: string }>();
  const [reason, setReason] = useState("");
  const [dialing, setDialing] = useState(false);
  const busy = useRef(false);

  const place = useCallback(
    async (wish: Wish) => {
      if (busy.current) return; // a double click is one wish
      busy.current = true;
      setDialing(true);
      const release = holdKeys(); // what is typed from now on belongs to this call
      try {
        const attempt = dialInRound(client, wish.request);
        if (attempt) {
          await attempt;
          return;
        }
        const call = withNewest(
          await ask(
            api.POST("/api/calls", { params: { header: { "Idempotency-Key": wish.key } }, body: wish.request }),
          ),
        );
        client.setQueryData<{ calls: Call[] }>(keys.desk(), (desk) => ({
          calls: [...(desk?.calls.filter((c) => c.id !== call.id) ?? []), call],
        }));
        focusSlip(call.slip.id);
        if (call.dial_to) window.location.href = call.dial_to; // this computer's calling program takes it
        setAsked(undefined);
        setRefused(undefined);
        setOutside(undefined);
      } catch (e) {
        setOutside(undefined);
        if (e instanceof Failure && e.code === "outside_hours") {
          setAsked(undefined);
          setRefused(undefined);
          setOutside({ wish, why: e.message });
        } else if (e instanceof Failure && e.code === "in_call" && e.problem?.call_id) {
          setRefused(undefined);
          setAsked({ wish, inCall: e.problem.call_id });
        } else if (e instanceof Failure && e.problem?.may_override) {
          setAsked(undefined);
          setReason("");
          setRefused({ wish, why: e.message });
        } else if (e instanceof Failure && e.code === "telephone_rings") {
          setAsked(undefined);
          void client.invalidateQueries({ queryKey: keys.sound() });
        } else {
          setAsked(undefined);
          tell(e instanceof Failure ? e.message : t.failed.unknown, { bad: true });
        }
      } finally {
        busy.current = false;
        setDialing(false);
        setTimeout(release); // the slip is drawn by then
      }
    },
    [client, tell],
  );

  const dial = useCallback(
    (request: Schemas["NewCall"], to: string) =>
      void place({
        request: { ask_hours: askedAbout.get(numberOf(request)) !== today(), ...aboutOpen(request) },
        to,
        key: newKey(),
      }),
    [place],
  );
  const again = (wish: Wish, more: Partial<Schemas["NewCall"]>) =>
    void place({ ...wish, request: { ...wish.request, ...more }, key: newKey() });
  const value = useMemo(() => ({ dial, dialing }), [dial, dialing]);
  return (
    <Context value={value}>
      {children}
      <Dialog
        open={asked !== undefined}
        onClose={() => {
          setAsked(undefined);
        }}
        title={t.dial.inCallTitle}
        actions={
          asked && (
            <>
              <Button
                onClick={() => {
                  setAsked(undefined);
                }}
              >
                {t.dial.goOn}
              </Button>
              <Button
                look="ours"
                onClick={() => {
                  again(asked.wish, { instead_of: asked.inCall });
                }}
              >
                {t.dial.endAndCall(asked.wish.to)}
              </Button>
            </>
          )
        }
      >
        <p>{asked && t.dial.inCall(asked.wish.to)}</p>
      </Dialog>
      <Dialog
        open={outside !== undefined}
        onClose={() => {
          setOutside(undefined);
        }}
        title={t.dial.outsideTitle(outside?.wish.to ?? "")}
        actions={
          outside && (
            <>
              <Button
                onClick={() => {
                  setOutside(undefined);
                }}
              >
                {t.dial.notNow}
              </Button>
              <Button
                look="ours"
                onClick={() => {
                  askedAbout.set(numberOf(outside.wish.request), today());
                  again(outside.wish, { ask_hours: false });
                }}
              >
                {t.dial.callAnyway}
              </Button>
            </>
          )
        }
      >
        <p>{outside && t.dial.outside(outside.why)}</p>
      </Dialog>
      <Dialog
        open={refused !== undefined}
        onClose={() => {
          setRefused(undefined);
        }}
        title={t.book.override.title}
        actions={
          <>
            <Button
              onClick={() => {
                setRefused(undefined);
              }}
            >
              {t.cancel}
            </Button>
            <Button look="ending" type="submit" form="override" disabled={!reason.trim()}>
              {t.book.override.go}
            </Button>
          </>
        }
      >
        <form
          id="override"
          onSubmit={(e) => {
            e.preventDefault();
            if (refused && reason.trim()) {
              again(refused.wish, { override_reason: reason });
            }
          }}
        >
          <p className="mb-3">{refused?.why}</p>
          <Field
            label={t.book.override.why}
            autoFocus
            maxLength={300}
            value={reason}
            onChange={(e) => {
              setReason(e.target.value);
            }}
          />
          <p className="mt-1 text-sm text-quiet">{t.book.override.kept}</p>
        </form>
      </Dialog>
    </Context>
  );
}
