import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { api, ask, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { privacy as s } from "../texts/privacy";
import { Button } from "../ui/button";
import { Badge } from "../ui/chip";
import { Field } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { dayShort } from "../ui/times";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Overview = Schemas["Privacy"];
type Retention = Schemas["Retention"];

const kept = ["note_days", "message_days", "call_days", "import_days", "trail_days"] as const;

/** PrivacySettings are for how long things are kept, who is held, and who was erased. */
export function PrivacySettings() {
  const all = useQuery(queries.privacy);
  if (all.isPending) return <Loading />;
  if (!all.data) return <Failed error={all.error} retry={() => void all.refetch()} />;
  return (
    <div className="max-w-3xl">
      <p className="mb-4 max-w-prose">{s.intro}</p>
      <Keeping now={all.data.retention} />
      <Holds all={all.data.holds} />
      <Erasures all={all.data.erasures} />
    </div>
  );
}

function Keeping({ now }: { now: Retention }) {
  const client = useQueryClient();
  const tell = useTell();
  const { draft, setDraft, saved, notice } = useDraft("retention", now);
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/privacy/retention", { body: draft })),
    onSuccess: (all) => {
      saved(all.retention);
      client.setQueryData(keys.privacy(), all);
      tell(s.saved);
    },
  });
  return (
    <form
      className="mb-6"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <h2 className="font-semibold">{s.keeping}</h2>
      <p className="mb-2 text-sm text-quiet">{s.keepingText}</p>
      {notice}
      <div className="grid max-w-2xl grid-cols-2 gap-x-6 gap-y-2">
        {kept.map((k) => (
          <Field
            key={k}
            label={s.retention[k]}
            type="number"
            min={0}
            max={36500}
            className="w-full"
            value={String(draft[k])}
            onChange={(e) => {
              setDraft({ ...draft, [k]: Math.max(0, Math.round(Number(e.target.value) || 0)) });
            }}
          />
        ))}
      </div>
      {save.error && (
        <p role="alert" className="mt-2 text-ending">
          {save.error.message}
        </p>
      )}
      <Button type="submit" look="ours" className="mt-3" disabled={save.isPending}>
        {s.save}
      </Button>
    </form>
  );
}

function Holds({ all }: { all: Overview["holds"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const release = useMutation({
    mutationFn: (h: Overview["holds"][number]) =>
      ask(api.DELETE("/api/records/{id}/legal-hold", { params: { path: { id: h.record_id } } })),
    onSuccess: (_, h) => {
      tell(s.released(h.name));
      refresh(client, keys.privacy());
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  return (
    <section className="mb-6">
      <h2 className="font-semibold">{s.holds}</h2>
      {all.length === 0 && <p className="text-quiet">{s.noHolds}</p>}
      {all.map((h) => (
        <div key={h.record_id} className="flex items-center gap-3 border-b border-rule py-1.5">
          <span className="min-w-0 flex-1">
            <Link
              to="/records/$id"
              params={{ id: h.record_id }}
              className="font-semibold hover:text-ours hover:underline"
            >
              {h.name}
            </Link>{" "}
            {h.reason} <span className="text-sm text-quiet">{s.held(h.by, dayShort(h.at))}</span>
          </span>
          <Button
            look="quiet"
            disabled={release.isPending}
            onClick={() => {
              release.mutate(h);
            }}
          >
            {s.release}
          </Button>
        </div>
      ))}
    </section>
  );
}

function Erasures({ all }: { all: Overview["erasures"] }) {
  return (
    <section>
      <h2 className="font-semibold">{s.erasures}</h2>
      {all.length === 0 && <p className="text-quiet">{s.noErasures}</p>}
      {all.map((e) => (
        <div key={e.id} className="border-b border-rule py-1.5" data-testid="erasure">
          <Badge tone={e.state === "done" ? "theirs" : "waiting"}>{s.states[e.state]}</Badge> {e.reason}{" "}
          <span className="text-sm text-quiet">{s.asked(e.asked_by, dayShort(e.asked_at))}</span>
          {e.problem && <p className="text-sm text-ending">{e.problem}</p>}
          {e.report.length > 0 && (
            <p className="text-sm text-quiet">{e.report.map((r) => `${r.what} ${String(r.count)}`).join(", ")}</p>
          )}
        </div>
      ))}
    </section>
  );
}
