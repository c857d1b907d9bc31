import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, Failure } from "../api/client";
import { password as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { useTell } from "../ui/toast";

/** OwnPassword changes one's own password. */
export function OwnPassword() {
  const tell = useTell();
  const [current, setCurrent] = useState("");
  const [fresh, setFresh] = useState("");
  const change = useMutation({
    mutationFn: () => ask(api.PUT("/api/password", { body: { current, fresh } })),
    onSuccess: () => {
      setCurrent("");
      setFresh("");
      tell(s.changed);
    },
  });
  const failure = change.error instanceof Failure ? change.error : undefined;
  const of = (field: string) => (failure?.problem?.field === field ? failure.message : undefined);
  return (
    <section aria-label={s.title}>
      <h2 className="border-b border-rule-strong pb-1 text-quiet">{s.title}</h2>
      <p className="py-1 text-sm text-quiet">
        {s.help} {s.again}
      </p>
      <form
        className="flex flex-wrap items-start gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (current && fresh && !change.isPending) change.mutate();
        }}
      >
        <Field
          label={s.current}
          type="password"
          autoComplete="current-password"
          className="w-56"
          value={current}
          problem={of("current") ?? (failure && !of("password") ? failure.message : undefined)}
          onChange={(e) => {
            setCurrent(e.target.value);
          }}
        />
        <Field
          label={s.fresh}
          type="password"
          autoComplete="new-password"
          className="w-56"
          value={fresh}
          problem={of("password")}
          onChange={(e) => {
            setFresh(e.target.value);
          }}
        />
        <Button type="submit" className="mt-6" disabled={!current || !fresh || change.isPending}>
          {s.change}
        </Button>
      </form>
    </section>
  );
}
