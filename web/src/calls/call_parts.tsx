import type { Schemas } from "../api/client";
import { parties } from "../texts/parties";
import { Button } from "../ui/button";
import { duration } from "../ui/clock";
import { clockTime } from "../ui/times";
import { useListening } from "./listening";

const t = parties.page;

/** CallParts is the path of a call in which more than two were: who was in it, with what their time was spent, what they wrote. */
export function CallParts({ parts }: { parts: Schemas["CallPart"][] }) {
  return (
    <section aria-label={t.title} data-testid="call-parts" className="mt-5 shrink-0 overflow-x-auto">
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{t.title}</h2>
      <table className="w-full text-left">
        <thead className="text-sm text-quiet">
          <tr>
            <th className="py-1 font-normal">{t.who}</th>
            {[t.from, t.talk, t.conference, t.consult, t.hold].map((x) => (
              <th key={x} className="px-2 py-1 text-right font-normal">
                {x}
              </th>
            ))}
            <th className="py-1 pl-4 font-normal">{t.ended}</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((x, i) => (
            <tr key={i} className="border-t border-rule align-top">
              <td className="py-1">
                <span className={`name ${x.ours ? "text-ours" : "text-theirs"}`}>{x.name}</span>{" "}
                <span className="text-sm text-quiet">{t.roles[x.role]}</span>
                {x.notes && <p className="text-sm whitespace-pre-line">{`${t.notes(x.name)}: ${x.notes}`}</p>}
              </td>
              <td className="px-2 py-1 text-right">{clockTime(x.from)}</td>
              {[x.talk_ms, x.conference_ms, x.consult_ms, x.hold_ms].map((ms, k) => (
                <td key={k} className="px-2 py-1 text-right">
                  {ms >= 500 ? duration(ms) : ""}
                </td>
              ))}
              <td className="py-1 pl-4">{[x.outcome, x.why].filter(Boolean).join(" · ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** ListenHere lets one who leads listen to a call that goes on. */
export function ListenHere({ call }: { call: string }) {
  const listen = useListening();
  return (
    <Button
      disabled={listen.isPending}
      onClick={() => {
        listen.mutate({ call, how: "listen" });
      }}
    >
      {parties.listening.listen}
    </Button>
  );
}
