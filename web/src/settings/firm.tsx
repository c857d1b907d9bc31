import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { factor, firm as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Check, Field, Select } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";
import { useDraft } from "./draft";

type Setup = Schemas["FirmSetup"];

/** FirmSettings are what the firm is called and where it is at home. */
export function FirmSettings({ onSaved }: { onSaved?: () => void }) {
  const setup = useQuery(queries.firmSetup);
  if (setup.isPending) return <Loading />;
  if (!setup.data) return <Failed error={setup.error} retry={() => void setup.refetch()} />;
  return (
    <>
      {!onSaved && <p className="mb-3 max-w-prose">{s.intro}</p>}
      <FirmForm setup={setup.data} onSaved={onSaved} />
    </>
  );
}

const guess = () => new Intl.Locale(navigator.language).region ?? "US";

function FirmForm({
  setup: { regions = [], ...setup },
  onSaved,
}: {
  setup: Setup;
  onSaved?: (() => void) | undefined;
}) {
  const client = useQueryClient();
  const tell = useTell();
  const roles = useQuery(queries.roles).data?.roles ?? [];
  const { draft, setDraft, saved: isSaved, notice } = useDraft<Setup>("firm", setup);
  const region = draft.region || guess();
  const shown = {
    ...draft,
    region: regions.includes(region) ? region : "US",
    currency: draft.currency || "USD",
    zone: draft.zone || Intl.DateTimeFormat().resolvedOptions().timeZone,
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/settings/firm", { body: shown })),
    onSuccess: (all) => {
      const saved = { ...all };
      delete saved.regions; // they are there to be chosen from
      isSaved(saved);
      refresh(client, keys.firmSetup(), keys.me(), keys.firstSteps());
      tell(s.saved);
      onSaved?.();
    },
    onError: () => {
      refresh(client, keys.firmSetup());
    },
  });
  const failure = save.error instanceof Failure ? save.error : undefined;
  const field = failure?.problem?.field ?? "";
  const wrong = (f: keyof Setup) => (field === f ? failure?.message : undefined);
  const names = new Intl.DisplayNames("en", { type: "region" });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!save.isPending) save.mutate();
  };
  const text = (f: "name" | "currency" | "zone" | "meeting") => ({
    label: s[f],
    value: shown[f] ?? "",
    problem: wrong(f),
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => {
      setDraft({ ...draft, [f]: e.target.value });
    },
  });
  return (
    <form onSubmit={submit} className="grid max-w-xl grid-cols-2 gap-x-4 gap-y-3" data-testid="firm-form">
      {notice && <div className="col-span-2">{notice}</div>}
      <Field {...text("name")} maxLength={200} required className="col-span-2" />
      <Select
        label={s.region}
        value={shown.region}
        onChange={(e) => {
          setDraft({ ...draft, region: e.target.value });
        }}
      >
        {regions
          .map((r) => [r, names.of(r) ?? r] as const)
          .sort((a, b) => a[1].localeCompare(b[1]))
          .map(([r, name]) => (
            <option key={r} value={r}>
              {name}
            </option>
          ))}
      </Select>
      <Field {...text("currency")} maxLength={3} required list="currencies" />
      <datalist id="currencies">
        {Intl.supportedValuesOf("currency").map((x) => (
          <option key={x} value={x} />
        ))}
      </datalist>
      <Field {...text("zone")} maxLength={100} required list="firm-zones" />
      <datalist id="firm-zones">
        {Intl.supportedValuesOf("timeZone").map((x) => (
          <option key={x} value={x} />
        ))}
      </datalist>
      {!onSaved && (
        <div className="col-span-2">
          <Field {...text("meeting")} maxLength={300} placeholder="https://meet.example.com/{room}" />
          <p className="mt-1 text-sm text-quiet">{s.meetingHint}</p>
        </div>
      )}
      {!onSaved && (
        <fieldset className="col-span-2 flex flex-wrap items-center gap-4">
          <legend className="mb-1 text-sm text-quiet">{factor.must}</legend>
          {roles.map(({ key: r, name }) => (
            <Check
              key={r}
              label={name}
              checked={draft.second_factor?.includes(r) ?? false}
              onChange={(on) => {
                const others = (draft.second_factor ?? []).filter((x) => x !== r);
                setDraft({ ...draft, second_factor: on ? [...others, r] : others });
              }}
            />
          ))}
        </fieldset>
      )}
      {failure && !wrong("name") && !wrong("currency") && !wrong("zone") && !wrong("meeting") && (
        <p role="alert" className="col-span-2 text-sm text-ending">
          {failure.message}
        </p>
      )}
      <div className="col-span-2">
        <Button type="submit" look="ours" disabled={save.isPending}>
          {s.save}
        </Button>
      </div>
    </form>
  );
}
