import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Navigate, useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, Failure } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { password, setUp as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Mark } from "../ui/icons";
import { Failed, Loading } from "../ui/states";

/** SetUp takes the first admin of an empty installation, and leads to the first steps. */
export function SetUp() {
  const awaited = useQuery(queries.firstAdmin);
  if (awaited.isPending) return <Loading />;
  if (!awaited.data) return <Failed error={awaited.error} retry={() => void awaited.refetch()} />;
  if (!awaited.data.awaited) return <Navigate to="/first-steps" />;
  return <FirstAdmin />;
}

function FirstAdmin() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [draft, setDraft] = useState({ code: "", name: "", login: "", password: "" });
  const [loginTyped, setLoginTyped] = useState(false);
  const begin = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/first-admin", {
          body: { ...draft, zone: Intl.DateTimeFormat().resolvedOptions().timeZone },
        }),
      ),
    onSuccess: async (me) => {
      client.clear();
      client.setQueryData(keys.me(), me);
      await navigate({ to: "/first-steps" });
    },
  });
  const failure = begin.error instanceof Failure ? begin.error : undefined;
  const field = failure?.problem?.field ?? "";
  const known = field in draft;
  const text = (f: keyof typeof draft) => ({
    label: s[f],
    value: draft[f],
    required: true,
    problem: field === f ? failure?.message : undefined,
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => {
      setDraft((d) => ({ ...d, [f]: e.target.value }));
    },
  });
  return (
    <main className="flex min-h-dvh items-start justify-center px-4 pt-[10vh]">
      <form
        className="flex w-full max-w-md flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!begin.isPending) begin.mutate();
        }}
      >
        <div className="mb-2 flex items-center gap-2.5">
          <Mark />
          <span className="name text-xl">{t.name}</span>
        </div>
        <h1 className="name text-lg">{s.title}</h1>
        <p>{s.intro}</p>
        <Field
          {...text("code")}
          autoFocus
          autoComplete="off"
          inputMode="numeric"
          placeholder="000-000-000"
          maxLength={40}
        />
        <Field
          {...text("name")}
          autoComplete="name"
          maxLength={200}
          onChange={(e) => {
            const name = e.target.value;
            const login = loginTyped ? {} : { login: name.trim().split(/\s+/)[0]?.toLowerCase() ?? "" };
            setDraft((d) => ({ ...d, name, ...login }));
          }}
        />
        <Field
          {...text("login")}
          autoComplete="username"
          maxLength={100}
          onChange={(e) => {
            setLoginTyped(true);
            setDraft((d) => ({ ...d, login: e.target.value }));
          }}
        />
        <Field {...text("password")} type="password" autoComplete="new-password" />
        <p className="text-sm text-quiet">{password.help}</p>
        {failure && !known && (
          <p role="alert" className="text-sm text-ending">
            {failure.message}
          </p>
        )}
        <Button look="ours" type="submit" className="justify-center" disabled={begin.isPending}>
          {s.go}
        </Button>
      </form>
    </main>
  );
}
