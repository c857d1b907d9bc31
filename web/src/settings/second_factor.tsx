import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useState } from "react";

import { api, ask, Failure, type Schemas } from "../api/client";
import { keys, refresh } from "../api/keys";
import { queries } from "../api/queries";
import { factor as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";

/** OwnSecondFactor turns one's own second factor on and off. */
export function OwnSecondFactor() {
  const on = useQuery(queries.me).data?.second_factor;
  return (
    <section aria-label={s.title}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.title}</h2>
      <SecondFactor on={on ?? false} />
    </section>
  );
}

/** SecondFactor leads through it: the password, the picture with a first code, the codes to write down. */
export function SecondFactor({ on, onDone }: { on: boolean; onDone?: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const [begun, setBegun] = useState<Schemas["SecondFactorBegun"]>();
  const [codes, setCodes] = useState<string[]>();
  const begin = useMutation({
    mutationFn: (password: string) => ask(api.POST("/api/second-factor", { body: { password } })),
    onSuccess: setBegun,
  });
  const confirm = useMutation({
    mutationFn: (code: string) => ask(api.PUT("/api/second-factor", { body: { code } })),
    onSuccess: (done) => {
      setBegun(undefined);
      setCodes(done.codes);
    },
  });
  const end = useMutation({
    mutationFn: (password: string) => ask(api.DELETE("/api/second-factor", { body: { password } })),
    onSuccess: () => {
      tell(s.isOff);
      refresh(client, keys.me());
    },
  });
  if (codes) {
    return (
      <div data-testid="recovery">
        <h3 className="name mt-2">{s.codesTitle}</h3>
        <p className="max-w-prose py-1">{s.codes}</p>
        <ul className="my-2 grid w-max grid-cols-2 gap-x-8 gap-y-1 rounded-sm bg-ours-soft px-4 py-2 font-mono text-sm select-all">
          {codes.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ul>
        <div className="flex gap-2">
          <Button
            onClick={() => {
              void navigator.clipboard.writeText(codes.join("\n")).then(() => {
                tell(s.copied);
              });
            }}
          >
            {s.copy}
          </Button>
          <Button
            look="ours"
            onClick={() => {
              setCodes(undefined);
              tell(s.isOn);
              refresh(client, keys.me());
              onDone?.();
            }}
          >
            {s.done}
          </Button>
        </div>
      </div>
    );
  }
  if (begun) {
    return (
      <Typed
        label={s.code}
        field="code"
        button={s.confirm}
        asked={confirm}
        inputMode="numeric"
        autoComplete="one-time-code"
      >
        <p className="max-w-prose">{s.scan}</p>
        <img src={begun.picture} alt={s.picture} className="my-2 bg-white p-2" width={196} height={196} />
        <p className="mb-2 text-sm">
          {s.key}:{" "}
          <code className="font-mono select-all" data-testid="totp-key">
            {begun.secret}
          </code>
        </p>
      </Typed>
    );
  }
  return (
    <Typed
      key={String(on)}
      label={s.password}
      field="password"
      type="password"
      autoComplete="current-password"
      button={on ? s.turnOff : s.turnOn}
      asked={on ? end : begin}
    >
      <p className="max-w-prose py-1 text-sm text-quiet">{on ? s.on : s.off}</p>
    </Typed>
  );
}

/** Typed asks for one thing, and does something with it. */
function Typed({
  label,
  field,
  button,
  asked,
  children,
  ...rest
}: {
  label: string;
  field: string;
  button: string;
  asked: { mutate: (text: string) => void; isPending: boolean; error: Error | null };
  children: ReactNode;
} & Pick<React.ComponentProps<"input">, "type" | "autoComplete" | "inputMode">) {
  const [text, setText] = useState("");
  const failure = asked.error instanceof Failure ? asked.error : undefined;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (text && !asked.isPending) asked.mutate(text);
  };
  return (
    <form onSubmit={submit}>
      {children}
      <div className="flex flex-wrap items-start gap-3">
        <Field
          {...rest}
          label={label}
          className="w-56"
          value={text}
          problem={
            failure && (failure.problem?.field === field || !failure.problem?.field) ? failure.message : undefined
          }
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        <Button type="submit" className="mt-6" disabled={!text || asked.isPending}>
          {button}
        </Button>
      </div>
    </form>
  );
}
