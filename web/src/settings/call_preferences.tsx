import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Me, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { ringsAloud, setRingsAloud } from "../calls/ring_choices";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Area, Field, Select } from "../ui/field";
import { useTell } from "../ui/toast";
import { SoundInput } from "../calls/sound_input";

const s = t.in.settings;
const ways = ["ring", "answer", "click", "address"] as const;

/** CallPreferences are how records open when a call comes in, what callers hear, and whether this browser rings aloud. */
export function CallPreferences() {
  const me = useQuery(queries.me).data;
  return me ? <Form now={me.preferences} /> : null;
}

function Form({ now }: { now: Schemas["Preferences"] }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useState(now);
  const [aloud, setAloud] = useState(ringsAloud);
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/me/preferences", { body: draft })),
    onSuccess: (saved) => {
      client.setQueryData(keys.me(), (me: Me | undefined) => me && { ...me, preferences: saved });
      tell(s.saved);
    },
  });
  return (
    <section aria-label={s.opens}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.opens}</h2>
      <form
        className="flex flex-col gap-2.5 py-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <Select
          label={s.opensText}
          value={draft.opens}
          onChange={(e) => {
            const opens = ways.find((w) => w === e.target.value);
            if (opens) setDraft({ ...draft, opens });
          }}
        >
          {ways.map((w) => (
            <option key={w} value={w}>
              {s.opensWhen[w]}
            </option>
          ))}
        </Select>
        {draft.opens === "address" && (
          <Field
            label={`${s.template} (${s.templateHint})`}
            maxLength={2000}
            value={draft.address_template}
            problem={save.error?.message}
            onChange={(e) => {
              setDraft({ ...draft, address_template: e.target.value });
            }}
          />
        )}
        <Area
          label={`${s.greeting} (${s.greetingHint})`}
          rows={2}
          maxLength={2000}
          value={draft.greeting}
          problem={draft.opens === "address" ? undefined : save.error?.message}
          onChange={(e) => {
            setDraft({ ...draft, greeting: e.target.value });
          }}
        />
        <SoundInput
          text={draft.greeting}
          sound={draft.greeting_sound_id ?? null}
          onChange={(id) => {
            setDraft({ ...draft, greeting_sound_id: id });
          }}
        />
        <label className="flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={draft.whisper ?? false}
            onChange={(e) => {
              setDraft({ ...draft, whisper: e.target.checked });
            }}
          />
          {t.voice.whisper}
        </label>
        <label className="flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={draft.program ?? false}
            onChange={(e) => {
              setDraft({ ...draft, program: e.target.checked });
            }}
          />
          {t.in.program.preference}
        </label>
        <label className="flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={aloud}
            onChange={(e) => {
              setAloud(e.target.checked);
              setRingsAloud(e.target.checked);
            }}
          />
          {s.sound}
        </label>
        <Button look="ours" type="submit" className="self-start" disabled={save.isPending}>
          {s.save}
        </Button>
      </form>
    </section>
  );
}
