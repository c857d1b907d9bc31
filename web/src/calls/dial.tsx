// Calling: the one way from any number to a call.
import { useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useMemo, useRef, useState } from "react";

import { keys } from "../api/keys";
import { layOnDesk } from "../api/call_states";
import { api, ask, Failure, newKey, type Schemas } from "../api/client";
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

/** Question is what is asked before a call is placed after all: whether the call in progress ends, whether the hour may be overlooked, and why
 * somebody is called who is not to be. */
type Question =
  | { about: "inCall"; wish: Wish; inCall: string }
  | { about: "hours"; wish: Wish; why: string }
  | { about: "refusal"; wish: Wish; why: string };

/** questionOf reads from a refusal what is to be asked. */
function questionOf(e: unknown, wish: Wish): Question | undefined {
  if (!(e instanceof Failure)) return undefined;
  if (e.code === "outside_hours") return { about: "hours", wish, why: e.message };
  if (e.code === "in_call" && e.problem?.call_id) return { about: "inCall", wish, inCall: e.problem.call_id };
  return e.problem?.may_override ? { about: "refusal", wish, why: e.message } : undefined;
}

export function DialProvider({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const tell = useTell();
  const [question, setQuestion] = useState<Question>();
  const [reason, setReason] = useState("");
  const [dialing, setDialing] = useState(false);
  const busy = useRef(false);

  /** place asks for the call. The question that was answered closes at once, so that what is typed next is for the call; where a reason was typed
   * and the call could not be placed, it comes back with it. */
  const place = useCallback(
    async (wish: Wish, answered?: Question) => {
      if (busy.current) return; // a double click is one wish
      busy.current = true;
      setDialing(true);
      setQuestion(undefined);
      const release = holdKeys(); // what is typed from now on belongs to this call
      try {
        const attempt = dialInRound(client, wish.request);
        if (attempt) {
          await attempt;
          return;
        }
        const call = layOnDesk(
          client,
          await ask(
            api.POST("/api/calls", { params: { header: { "Idempotency-Key": wish.key } }, body: wish.request }),
          ),
        );
        focusSlip(call.slip.id);
        if (call.dial_to) window.location.href = call.dial_to; // this computer's calling program takes it
        setReason("");
      } catch (e) {
        const next = questionOf(e, wish) ?? (answered?.about === "refusal" ? answered : undefined);
        setQuestion(next);
        if (e instanceof Failure && e.code === "telephone_rings") {
          void client.invalidateQueries({ queryKey: keys.sound() });
        } else if (!next || next === answered) {
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
  const again = (answered: Question, more: Partial<Schemas["NewCall"]>) =>
    void place({ ...answered.wish, request: { ...answered.wish.request, ...more }, key: newKey() }, answered);
  const close = () => {
    setQuestion(undefined);
    setReason("");
  };
  const value = useMemo(() => ({ dial, dialing }), [dial, dialing]);
  return (
    <Context value={value}>
      {children}
      <Dialog
        open={question?.about === "inCall"}
        onClose={close}
        title={t.dial.inCallTitle}
        actions={
          question?.about === "inCall" && (
            <>
              <Button onClick={close}>{t.dial.goOn}</Button>
              <Button
                look="ours"
                onClick={() => {
                  again(question, { instead_of: question.inCall });
                }}
              >
                {t.dial.endAndCall(question.wish.to)}
              </Button>
            </>
          )
        }
      >
        <p>{question && t.dial.inCall(question.wish.to)}</p>
      </Dialog>
      <Dialog
        open={question?.about === "hours"}
        onClose={close}
        title={t.dial.outsideTitle(question?.wish.to ?? "")}
        actions={
          question && (
            <>
              <Button onClick={close}>{t.dial.notNow}</Button>
              <Button
                look="ours"
                onClick={() => {
                  askedAbout.set(numberOf(question.wish.request), today());
                  again(question, { ask_hours: false });
                }}
              >
                {t.dial.callAnyway}
              </Button>
            </>
          )
        }
      >
        <p>{question?.about === "hours" && t.dial.outside(question.why)}</p>
      </Dialog>
      <Dialog
        open={question?.about === "refusal"}
        onClose={close}
        title={t.book.override.title}
        actions={
          <>
            <Button onClick={close}>{t.cancel}</Button>
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
            if (question && reason.trim()) again(question, { override_reason: reason });
          }}
        >
          <p className="mb-3">{question?.about === "refusal" && question.why}</p>
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
