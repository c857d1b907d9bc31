import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { type FormEvent, useState } from "react";

import { keys } from "../api/keys";
import { api, ask, Failure, type Schemas } from "../api/client";
import { queries } from "../api/queries";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Mark } from "../ui/icons";
import { WaysIn } from "./ways_in";
import { holdForDesk, letGoForDesk } from "./keys";

/** SignIn is the page before all others; in the demo its people stand on it. */
export function SignIn() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const { to, problem: failed } = useSearch({ from: "/sign-in" });
  const asked = useQuery(queries.demoPeople);
  const demo = asked.data;
  const people = demo ?? [];
  const empty = useQuery({ ...queries.firstAdmin, enabled: demo?.length === 0 }).data?.awaited;
  const [login, setLogin] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [asksCode, setAsksCode] = useState(false);
  const isIn = async (me: Schemas["Me"]) => {
    client.clear();
    client.setQueryData(keys.me(), me);
    await navigate({ href: to ?? "/" });
  };
  const signIn = useMutation({
    mutationFn: (body: { login: string; password: string; code?: string }) => ask(api.POST("/api/session", { body })),
    onMutate: holdForDesk, // who is quick presses the first key before the desk is drawn, which lets it go
    onSuccess: (me) => isIn(me),
    onError: (e) => {
      letGoForDesk();
      if (e instanceof Failure && e.code === "second_factor") setAsksCode(true);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    signIn.mutate({ login, password, ...(code ? { code } : {}) });
  };
  const failure = signIn.error instanceof Failure ? signIn.error : undefined;
  const ofCode = failure?.problem?.field === "code";
  const wantsCode = failure?.code === "second_factor"; // is no problem: the code is asked for
  const problem = signIn.error && !ofCode && !wantsCode ? (failure?.message ?? t.failed.unknown) : undefined;
  const form = (
    <form onSubmit={submit} className="flex flex-col gap-3">
      <Field
        label={t.signIn.login}
        value={login}
        autoComplete="username"
        required
        onChange={(e) => {
          setLogin(e.target.value);
        }}
      />
      <Field
        label={t.signIn.password}
        type="password"
        value={password}
        autoComplete="current-password"
        required
        problem={problem}
        onChange={(e) => {
          setPassword(e.target.value);
        }}
      />
      {asksCode && (
        <>
          <Field
            label={t.signIn.code}
            inputMode="text"
            autoComplete="one-time-code"
            autoFocus
            maxLength={40}
            value={code}
            problem={ofCode ? failure.message : undefined}
            onChange={(e) => {
              setCode(e.target.value);
            }}
          />
          <p className="text-sm text-quiet">{t.signIn.codeHelp}</p>
        </>
      )}
      <Button look="ours" type="submit" disabled={signIn.isPending} className="justify-center">
        {signIn.isPending ? t.signIn.going : t.signIn.go}
      </Button>
      <Forgotten login={login} />
      <WaysIn to={to} problem={failed} busy={signIn.isPending} onIn={(me) => void isIn(me)} />
    </form>
  );
  return (
    <main className="flex min-h-dvh items-start justify-center px-4 pt-[12vh]">
      <div className={`w-full ${people.length > 0 ? "max-w-2xl" : "max-w-xs"}`}>
        <div className="mb-6 flex items-center gap-2.5">
          <Mark />
          <h1 className="name text-xl">{t.name}</h1>
        </div>
        {asked.isPending ? null : empty ? ( // nothing moves under a hand that has begun to type
          <Link to="/set-up" className="font-semibold text-ours underline underline-offset-3">
            {t.signIn.setUp}
          </Link>
        ) : people.length === 0 ? (
          form
        ) : (
          <div className="grid grid-cols-[1fr_15rem] gap-10 max-[40rem]:grid-cols-1">
            <div>
              <p className="mb-3">{t.signIn.demo}</p>
              <ul className="grid grid-cols-2 gap-x-3">
                {people.map((p) => (
                  <li key={p.login} className="border-b border-rule">
                    <button
                      type="button"
                      disabled={signIn.isPending}
                      onClick={() => {
                        signIn.mutate({ login: p.login, password: p.password });
                      }}
                      className="flex min-h-11 w-full items-center gap-2.5 py-1 text-left hover:text-ours"
                    >
                      <Initials name={p.name} />
                      <span className="min-w-0">
                        <span className="name block truncate">{p.name}</span>
                        <span className="block text-sm text-quiet">
                          {p.team}, {t.signIn.roles[p.role] ?? p.role}
                        </span>
                      </span>
                    </button>
                  </li>
                ))}
              </ul>
            </div>
            <div>
              <h2 className="mb-3 text-quiet">{t.signIn.orByName}</h2>
              {form}
            </div>
          </div>
        )}
      </div>
    </main>
  );
}

/** Forgotten asks for a link by mail. It says the same to everybody: a sign-in page tells nobody who works here. */
function Forgotten({ login }: { login: string }) {
  const [said, setSaid] = useState<string>();
  const forgot = useMutation({
    mutationFn: () => ask(api.POST("/api/forgotten-password", { body: { login } })),
    onSuccess: () => {
      setSaid(t.signIn.forgottenSent);
    },
    onError: (e) => {
      setSaid(e.message);
    },
  });
  return (
    <>
      <button
        type="button"
        className="min-h-6 self-start text-sm text-ours underline underline-offset-3"
        disabled={forgot.isPending}
        onClick={() => {
          if (login.trim()) forgot.mutate();
          else setSaid(t.signIn.forgottenNone);
        }}
      >
        {t.signIn.forgotten}
      </button>
      {said && (
        <p role="status" className="text-sm">
          {said}
        </p>
      )}
    </>
  );
}

function Initials({ name }: { name: string }) {
  const initials = name
    .split(" ")
    .map((w) => w[0])
    .join("")
    .slice(0, 2);
  return (
    <span
      aria-hidden
      className="inline-flex size-8 shrink-0 items-center justify-center rounded-full bg-theirs-soft text-sm font-semibold text-theirs"
    >
      {initials}
    </span>
  );
}
