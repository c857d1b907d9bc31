import { useMutation, useQuery } from "@tanstack/react-query";
import { useLocation } from "@tanstack/react-router";
import { Popover } from "radix-ui";
import { useState } from "react";

import { api, ask, type Call } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { useKey, useKeys } from "../shell/keys";
import { Button, Turning } from "../ui/button";
import { useInTurn } from "../ui/in_turn";
import { useTell } from "../ui/toast";
import { LeavePrepared } from "./prepared";
import { sendKeys } from "./sound";
import { useAttach } from "./attach";
import { consulted, may } from "./parties";

/** HoldAndMute are what is done most while one speaks. */
export function HoldAndMute({ call }: { call: Call }) {
  const tell = useTell();
  const { hint, letter } = useKeys();
  const failed = (e: Error) => {
    tell(e.message, { bad: true });
  };
  const path = { params: { path: { id: call.id } } };
  const hold = useMutation({
    mutationFn: (on: boolean) => ask(api.PUT("/api/calls/{id}/hold", { ...path, body: { on } })),
    onError: failed,
  });
  const mute = useMutation({
    mutationFn: (on: boolean) => ask(api.PUT("/api/calls/{id}/mute", { ...path, body: { on } })),
    onError: failed,
  });
  const { on_hold: held, muted } = call.state;
  const [holdInTurn, muteInTurn] = [useInTurn(hold.isPending), useInTurn(mute.isPending)];
  // Pressed again before the answer, it turns what is under way.
  const turnHold = () => {
    const on = hold.isPending ? !hold.variables : !held;
    holdInTurn(() => {
      hold.mutate(on);
    });
  };
  const turnMute = () => {
    const on = mute.isPending ? !mute.variables : !muted;
    muteInTurn(() => {
      mute.mutate(on);
    });
  };
  // While somebody is asked, the same key turns from one to the other (Parties).
  const holds = may(call, "hold") || (held && !consulted(call));
  useKey("hold", holds ? turnHold : undefined);
  useKey("mute", turnMute);
  return (
    <>
      {holds && (
        <Button
          disabled={hold.isPending}
          aria-pressed={held}
          className="px-1.5!" // with End in one row
          onClick={turnHold}
          hint={letter("hold")}
          aria-keyshortcuts={hint("hold")}
        >
          <Turning label={held ? t.slip.resume : t.slip.hold} other={held ? t.slip.hold : t.slip.resume} />
        </Button>
      )}
      <Button
        disabled={mute.isPending}
        aria-pressed={muted}
        onClick={turnMute}
        hint={letter("mute")}
        aria-keyshortcuts={hint("mute")}
        title={muted ? t.in.during.muted : undefined}
        className={`px-1.5! ${muted ? "border-waiting bg-waiting-soft text-waiting" : ""}`}
      >
        <Turning
          label={muted ? t.in.during.unmute : t.in.during.mute}
          other={muted ? t.in.during.mute : t.in.during.unmute}
        />
      </Button>
    </>
  );
}

/** MoreControls are what else can be done while one speaks: keys, a prepared message. */
export function MoreControls({ call }: { call: Call }) {
  if (call.direction === "internal") return null;
  return (
    <div className="flex min-w-0 items-start gap-1.5">
      {!call.state.on_hold && <Keypad call={call} />}
      {call.direction === "outbound" && !call.state.parties && <LeavePrepared call={call} />}
    </div>
  );
}

const rows = ["123", "456", "789", "*0#"];

/** Keypad sends tones; while it is open, digits are tones and nothing else. */
function Keypad({ call }: { call: Call }) {
  const [open, setOpen] = useState(false);
  const [sent, setSent] = useState("");
  const tell = useTell();
  const { hint, letter } = useKeys();
  // What is pressed on a keypad that was opened while the recording was paused is nobody's to keep, also after the pause.
  const [hidden, setHidden] = useState(false);
  const press = useMutation({
    mutationFn: (digits: string) =>
      ask(api.POST("/api/calls/{id}/keys", { params: { path: { id: call.id } }, body: { digits, hidden } })),
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const send = (digit: string) => {
    setSent((x) => (x + digit).slice(-24));
    if (hidden || !sendKeys(digit)) press.mutate(digit);
  };
  const show = (next: boolean) => {
    setOpen(next);
    setSent("");
    if (next) setHidden(call.recording?.state === "paused");
  };
  useKey("keypad", () => {
    show(true);
  });
  return (
    <Popover.Root open={open} onOpenChange={show}>
      <Popover.Trigger asChild>
        <Button hint={letter("keypad")} aria-keyshortcuts={hint("keypad")}>
          {t.in.during.keypad}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          role="dialog"
          aria-label={t.in.during.keypadTitle}
          className="z-50 w-56 rounded-md border border-rule-strong bg-sheet p-3 shadow-lg"
          onKeyDown={(e) => {
            if (!/^[0-9*#]$/.test(e.key)) return;
            e.preventDefault();
            send(e.key);
          }}
        >
          <p className="min-h-5 font-mono text-sm" aria-live="polite">
            {sent && t.in.during.sent(sent)}
          </p>
          <div className="my-2 grid grid-cols-3 gap-1.5">
            {rows.flatMap((row) =>
              [...row].map((digit) => (
                <Button
                  key={digit}
                  className="justify-center"
                  onClick={() => {
                    send(digit);
                  }}
                >
                  {digit}
                </Button>
              )),
            )}
          </div>
          <p className="text-sm text-quiet">{t.in.during.keypadHint}</p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** PutOnOpenRecord offers to file the call on the record that has been opened meanwhile. */
export function PutOnOpenRecord({ call }: { call: Call }) {
  const openId = /^\/records\/([0-9a-f-]{36})$/.exec(useLocation().pathname)?.[1] ?? "";
  const record = useQuery({ ...queries.record(openId), enabled: openId !== "" }).data;
  const { attach } = useAttach(call);
  const { hint } = useKeys();
  const fits =
    record !== undefined &&
    !record.deleted &&
    !call.links.some((l) => l.record.id === record.id) &&
    call.direction !== "internal";
  const put = () => {
    if (record && !attach.isPending) attach.mutate(record.id);
  };
  useKey("attach", fits ? put : undefined);
  if (!fits) return null;
  return (
    <Button onClick={put} hint={hint("attach")} aria-keyshortcuts={hint("attach")} className="max-w-64">
      <span className="truncate">{t.in.during.putOn(record.name)}</span>
    </Button>
  );
}
