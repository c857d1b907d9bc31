import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Failed, Loading } from "../ui/states";
import { useTell } from "../ui/toast";

const p = t.voice.telephone;
type Telephone = Schemas["Telephone"];

/** useTelephone is how one's own telephone stands just now, and the way to hang it up or to keep it on the line. */
export function useTelephone() {
  const client = useQueryClient();
  const tell = useTell();
  const sound = useQuery(queries.sound).data;
  const act = useMutation({
    mutationFn: (stand: boolean) => ask(stand ? api.POST("/api/telephone/leg") : api.DELETE("/api/telephone/leg")),
    onSuccess: (now) => {
      client.setQueryData(keys.sound(), now);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const dialIn = useMutation({
    mutationFn: () => ask(api.POST("/api/telephone/dial-in")),
    onSuccess: (x) => {
      client.setQueryData<Schemas["DialIn"] | null>(keys.dialIn(), x);
    },
    onError: (e) => {
      tell(e.message, { bad: true });
    },
  });
  const expected = useQuery<Schemas["DialIn"] | null>({
    queryKey: keys.dialIn(),
    queryFn: () => null,
    staleTime: Infinity,
  });
  const forget = () => {
    client.setQueryData<Schemas["DialIn"] | null>(keys.dialIn(), null);
  };
  return { telephone: sound?.telephone, act, dialIn, expected: expected.data ?? null, forget };
}

/** TelephoneNotice says that one's telephone rings, and for what; or why it was not to be had. */
export function TelephoneNotice() {
  const { telephone: now, act, expected, forget } = useTelephone();
  const [seen, setSeen] = useState("");
  const up = now?.state === "up";
  useEffect(() => {
    if (up) forget();
  });
  if (!now) return null;
  const rings = now.state === "ringing" || now.state === "press";
  const callsIn = expected && (now.state === "down" || now.state === "press") ? expected : null;
  const trouble = now.state === "down" && now.trouble !== seen ? now.trouble : "";
  if (!rings && !callsIn && !trouble) return null;
  return (
    <div
      role="status"
      data-testid="telephone"
      data-state={now.state}
      className="mb-2 flex min-h-10 items-center gap-3 rounded-md border border-waiting bg-waiting-soft px-3.5"
    >
      <span className="font-semibold">
        {callsIn
          ? p.dialTo(callsIn.number, callsIn.code)
          : rings
            ? (now.state === "press" ? p.press : p.ringing)(now.number, now.for)
            : trouble}
      </span>
      <Button
        className="ml-auto"
        disabled={act.isPending}
        onClick={() => {
          forget();
          if (rings) act.mutate(false);
          else setSeen(now.trouble);
        }}
      >
        {rings ? p.stop : t.close}
      </Button>
    </div>
  );
}

/** TelephoneSettings are one's own telephone and what it is for. */
export function TelephoneSettings() {
  const telephone = useQuery(queries.telephone);
  if (telephone.isPending) return <Loading />;
  if (!telephone.data) return <Failed error={telephone.error} retry={() => void telephone.refetch()} />;
  return <Form key={telephone.data.number} saved={telephone.data} />;
}

function Form({ saved }: { saved: Telephone }) {
  const client = useQueryClient();
  const tell = useTell();
  const [draft, setDraft] = useState({ ...saved, number: saved.display || saved.number });
  const [code, setCode] = useState("");
  const [called, setCalled] = useState(false);
  const put = (next: Telephone) => {
    client.setQueryData(keys.telephone(), next);
    setDraft({ ...next, number: next.display || next.number });
  };
  const save = useMutation({
    mutationFn: () => ask(api.PUT("/api/telephone", { body: draft })),
    onSuccess: (next) => {
      put(next);
      tell(p.saved);
    },
  });
  const call = useMutation({
    mutationFn: () => ask(api.POST("/api/telephone/code")),
    onSuccess: () => {
      setCalled(true);
    },
  });
  const verify = useMutation({
    mutationFn: () => ask(api.POST("/api/telephone/verify", { body: { code } })),
    onSuccess: (next) => {
      put(next);
      setCalled(false);
      setCode("");
    },
  });
  const error = save.error ?? verify.error ?? call.error;
  const uses = { speaks: p.speaks, rings: p.rings, press_one: p.pressOne } as const;
  return (
    <form
      aria-label={p.title}
      className="mt-8 flex max-w-xl flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (!save.isPending) save.mutate();
      }}
    >
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{p.title}</h2>
      <p className="text-quiet">{p.intro}</p>
      <p className="text-sm text-quiet">{p.codes}</p>
      <Field
        label={p.number}
        inputMode="tel"
        maxLength={60}
        value={draft.number}
        onChange={(e) => {
          setDraft({ ...draft, number: e.target.value });
        }}
      />
      {(["speaks", "rings", "press_one"] as const).map((key) => (
        <label key={key} className="flex min-h-6 items-center gap-2">
          <input
            type="checkbox"
            checked={draft[key]}
            onChange={(e) => {
              setDraft({ ...draft, [key]: e.target.checked });
            }}
          />
          {uses[key]}
        </label>
      ))}
      {error && (
        <p role="alert" className="text-ending">
          {error.message}
        </p>
      )}
      <div className="flex items-center gap-3">
        <Button look="ours" type="submit" disabled={save.isPending}>
          {p.save}
        </Button>
        {saved.number &&
          (saved.verified ? (
            <span className="text-theirs">{p.verified}</span>
          ) : (
            <Button
              disabled={call.isPending}
              onClick={() => {
                call.mutate();
              }}
            >
              {p.confirm}
            </Button>
          ))}
      </div>
      {saved.number && !saved.verified && <p className="text-waiting">{called ? p.called : p.notVerified}</p>}
      {called && !saved.verified && (
        <div className="flex items-end gap-3">
          <Field
            label={p.code}
            inputMode="numeric"
            maxLength={20}
            className="w-32"
            value={code}
            onChange={(e) => {
              setCode(e.target.value);
            }}
          />
          <Button
            disabled={verify.isPending || code.trim() === ""}
            onClick={() => {
              verify.mutate();
            }}
          >
            {p.verify}
          </Button>
        </div>
      )}
    </form>
  );
}
