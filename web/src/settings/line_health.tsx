import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { health as s } from "../texts/line_health";
import { Button } from "../ui/button";
import { Empty, Failed, Loading } from "../ui/states";
import { dayShort } from "../ui/times";
import { useTell } from "../ui/toast";

type Health = Schemas["LineHealth"];

const percent = (x: number) => `${String(Math.round(x))} %`;

/** LineHealth is how often calls that show each number are answered, and lets one rest that falls. */
export function LineHealth() {
  const all = useQuery(queries.lineHealth);
  if (all.isPending) return <Loading />;
  if (!all.data) return <Failed error={all.error} retry={() => void all.refetch()} />;
  return (
    <div className="max-w-4xl">
      <p className="mb-3 max-w-prose">{s.intro}</p>
      {all.data.length === 0 && <Empty>{s.none}</Empty>}
      <ul>
        {all.data.map((h) => (
          <Row key={h.line_id} health={h} />
        ))}
      </ul>
    </div>
  );
}

function Row({ health: h }: { health: Health }) {
  const client = useQueryClient();
  const tell = useTell();
  const rest = useMutation({
    mutationFn: (days: number) =>
      ask(api.PUT("/api/settings/lines/{id}/rest", { params: { path: { id: h.line_id } }, body: { days } })),
    onSuccess: (now, days) => {
      client.setQueryData(keys.lines("health"), now);
      refresh(client, keys.me());
      tell(days > 0 ? s.resting(h.label) : s.awake(h.label));
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <li className="border-b border-rule py-2" data-testid="line-health">
      <div className="grid grid-cols-[10rem_5rem_minmax(0,1fr)_13rem] items-center gap-3">
        <span className="truncate font-semibold" title={h.label}>
          {h.label}
        </span>
        <span className="text-right text-quiet tabular-nums">{h.made}</span>
        <Rate health={h} />
        <span className="flex items-center justify-end gap-2">
          {h.rests_until && <span className="text-sm text-quiet">{s.rests(dayShort(h.rests_until))}</span>}
          <Button
            look={h.falls ? "plain" : "quiet"}
            disabled={rest.isPending}
            onClick={() => {
              rest.mutate(h.rests_until ? 0 : 7);
            }}
          >
            {h.rests_until ? s.wake : s.rest}
          </Button>
        </span>
      </div>
      {h.falls && <p className="mt-1 text-sm text-waiting">{s.falls}</p>}
    </li>
  );
}

/** Rate draws where the rate lies. */
function Rate({ health: h }: { health: Health }) {
  if (h.fair_percent === undefined || h.low_percent === undefined || h.high_percent === undefined)
    return <span className="text-sm text-quiet">{h.made > 0 ? `${percent(h.percent)}, ${s.few}` : s.few}</span>;
  return (
    <span className="flex items-center gap-3" title={s.between(percent(h.low_percent), percent(h.high_percent))}>
      <span className="w-12 text-right tabular-nums">{percent(h.fair_percent)}</span>
      <span aria-hidden className="relative h-3 flex-1 bg-rule/50">
        <span
          className={`absolute inset-y-0 ${h.falls ? "bg-waiting" : "bg-ours"} opacity-40`}
          style={{ left: `${String(h.low_percent)}%`, width: `${String(h.high_percent - h.low_percent)}%` }}
        />
        <span
          className={`absolute inset-y-0 w-0.5 ${h.falls ? "bg-waiting" : "bg-ours"}`}
          style={{ left: `${String(h.fair_percent)}%` }}
        />
      </span>
      <span className="sr-only">{s.between(percent(h.low_percent), percent(h.high_percent))}</span>
    </span>
  );
}
