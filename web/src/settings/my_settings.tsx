import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { useTell } from "../ui/toast";
import { CallPreferences } from "./call_preferences";
import { MailSettings } from "./mail_settings";
import { OwnPasskeys } from "./passkeys";
import { OwnPassword } from "./password";
import { OwnSecondFactor } from "./second_factor";
import { Sessions } from "./sessions";

const s = t.book.settings;

/** MySettings are one's own: a calendar to subscribe to, and numbers on other pages opened here. */
export function MySettings() {
  const tell = useTell();
  const [address, setAddress] = useState<string>();
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/calendar/address")),
    onSuccess: (a) => {
      setAddress(new URL(a.address, location.origin).href);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const register = () => {
    try {
      // Firefox and Chromium offer it on secure pages and on this machine.
      navigator.registerProtocolHandler("tel", `${location.origin}/dial?to=%s`);
      tell(s.telDone);
    } catch {
      tell(s.telCannot, { bad: true });
    }
  };
  return (
    <div className="flex max-w-2xl flex-col gap-6">
      <CallPreferences />
      <MailSettings />
      <OwnPassword />
      <OwnSecondFactor />
      <OwnPasskeys />
      <Sessions />
      <section aria-label={s.tel}>
        <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.tel}</h2>
        <p className="py-2">{s.telText}</p>
        <Button onClick={register}>{s.telDo}</Button>
      </section>
      <section aria-label={s.calendar}>
        <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.calendar}</h2>
        <p className="py-2">{s.calendarText}</p>
        {address && (
          <p className="mb-2 flex items-center gap-2">
            <code className="min-w-0 rounded-sm bg-paper px-2 py-1 font-mono text-xs break-all" data-testid="calendar">
              {address}
            </code>
            <Button
              onClick={() => {
                void navigator.clipboard.writeText(address).then(() => {
                  tell(s.copied);
                });
              }}
            >
              {s.copy}
            </Button>
          </p>
        )}
        <div className="flex gap-2">
          <Button
            disabled={make.isPending}
            onClick={() => {
              make.mutate();
            }}
          >
            {address ? s.calendarAgain : s.calendarMake}
          </Button>
          <a
            href="/api/calendar.ics"
            download
            className="inline-flex min-h-7 items-center rounded-sm border border-rule-strong bg-paper px-2.5 hover:border-edge"
          >
            {s.calendarFile}
          </a>
        </div>
      </section>
    </div>
  );
}
