import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { api, ask, Failure } from "../api/client";
import { keys } from "../api/keys";
import { queries } from "../api/queries";
import { t } from "../texts";
import { password, welcome as s } from "../texts/staff";
import { Button } from "../ui/button";
import { Field } from "../ui/field";
import { Mark } from "../ui/icons";
import { Failed, Loading } from "../ui/states";

/** Welcome is where a link leads by which one chooses a password. What lets in stands behind #, which no server's log sees. */
export function Welcome() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [token] = useState(() => location.hash.slice(1));
  const [chosen, setChosen] = useState("");
  const link = useQuery({ ...queries.signInLink(token), enabled: token !== "" });
  const choose = useMutation({
    mutationFn: () => ask(api.PUT("/api/sign-in-link", { body: { token, password: chosen } })),
    onSuccess: async (me) => {
      client.clear();
      client.setQueryData(keys.me(), me);
      await navigate({ to: "/" });
    },
  });
  const code = link.error instanceof Failure ? link.error.code : "";
  return (
    <main className="flex min-h-dvh items-start justify-center px-4 pt-[12vh]">
      <div className="w-full max-w-sm">
        <div className="mb-6 flex items-center gap-2.5">
          <Mark />
          <span className="name text-xl">{t.name}</span>
        </div>
        {token === "" || code === "link_used" ? (
          <>
            <h1 className="name mb-2 text-lg">{s.bad}</h1>
            <p className="mb-3">{s.badText}</p>
            <Link to="/sign-in" className="font-semibold text-ours underline underline-offset-3">
              {s.signIn}
            </Link>
          </>
        ) : link.error ? (
          <Failed error={link.error} retry={() => void link.refetch()} />
        ) : !link.data ? (
          <Loading />
        ) : (
          <form
            className="flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (chosen && !choose.isPending) choose.mutate();
            }}
          >
            <h1 className="name text-lg">
              {link.data.why === "invited" ? s.invited(link.data.name, link.data.firm) : s.reset(link.data.name)}
            </h1>
            <p>{s.as(link.data.login)}</p>
            <input type="text" hidden autoComplete="username" value={link.data.login} readOnly />
            <Field
              label={s.choose}
              type="password"
              autoComplete="new-password"
              autoFocus
              required
              value={chosen}
              problem={choose.error?.message}
              onChange={(e) => {
                setChosen(e.target.value);
              }}
            />
            <p className="text-sm text-quiet">{password.help}</p>
            <Button look="ours" type="submit" className="justify-center" disabled={!chosen || choose.isPending}>
              {s.go}
            </Button>
          </form>
        )}
      </div>
    </main>
  );
}
