import { useMutation } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";

import { api, ask, proveBy } from "../api/client";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Dialog } from "../ui/dialog";
import { Field } from "../ui/field";

const ShownAgain = lazy(() => import("./ways_in").then((m) => ({ default: m.ShownAgain })));

/** Prove asks for the password again where the server wants to know who sits there; what was asked for goes on then. */
export function Prove() {
  const [asked, setAsked] = useState<{ done: (proved: boolean) => void }>();
  const [password, setPassword] = useState("");
  useEffect(
    () =>
      proveBy(
        () =>
          new Promise((done) => {
            setPassword("");
            setAsked({ done });
          }),
      ),
    [],
  );
  const end = (proved: boolean) => {
    asked?.done(proved);
    setAsked(undefined);
    setPassword("");
  };
  const prove = useMutation({
    mutationFn: () => ask(api.POST("/api/session/proof", { body: { password } })),
    onSuccess: () => {
      end(true);
    },
  });
  if (!asked) return null;
  return (
    <Dialog
      open
      onClose={() => {
        end(false);
      }}
      title={t.prove.title}
    >
      <form
        data-testid="prove"
        onSubmit={(e) => {
          e.preventDefault();
          if (!prove.isPending) prove.mutate();
        }}
      >
        <p className="mb-2 text-quiet">{t.prove.text}</p>
        <Field
          label={t.prove.password}
          type="password"
          autoComplete="current-password"
          autoFocus
          value={password}
          problem={prove.error?.message}
          onChange={(e) => {
            setPassword(e.target.value);
          }}
        />
        <Suspense>
          <ShownAgain
            onShown={() => {
              end(true);
            }}
          />
        </Suspense>
        <div className="mt-4 flex justify-end gap-2">
          <Button
            onClick={() => {
              end(false);
            }}
          >
            {t.cancel}
          </Button>
          <Button type="submit" look="ours" disabled={prove.isPending || !password}>
            {t.prove.go}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
