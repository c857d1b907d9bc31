import { useMutation, useQuery } from "@tanstack/react-query";

import { api, ask, Failure, type Schemas } from "../api/client";
import { canPasskeys, showPasskey } from "../api/passkeys";
import { queries } from "../api/queries";
import { waysIn as w } from "../texts/ways_in";
import { Button } from "../ui/button";

/** why says in words why a passkey was of no use: what the server says, or that nothing was chosen. */
export const why = (e: Error | null) => (e instanceof Failure ? e.message : e ? w.cancelled : undefined);

/** WaysIn are those besides a password, on the page where one signs in. */
export function WaysIn({
  to,
  problem,
  busy,
  onIn,
}: {
  to: string | undefined;
  problem: string | undefined;
  busy: boolean;
  onIn: (me: Schemas["Me"]) => void;
}) {
  const ways = useQuery(queries.signInWays).data;
  const passkey = useMutation({
    mutationFn: async () => {
      const { options } = await ask(api.POST("/api/session/passkey"));
      return ask(api.PUT("/api/session/passkey", { body: { credential: await showPasskey(options) } }));
    },
    onSuccess: onIn,
  });
  const told = why(passkey.error) ?? (problem && (w.problems[problem] ?? w.problem));
  const passkeys = ways?.passkeys && canPasskeys();
  if (!told && !passkeys && !ways?.provider) return null;
  return (
    <section aria-label={w.or} className="mt-5 flex flex-col gap-2 border-t border-rule pt-4" data-testid="ways-in">
      {told && (
        <p role="alert" className="text-sm text-ending">
          {told}
        </p>
      )}
      {ways?.provider && (
        <a
          href={`/api/sign-in/provider${to ? `?to=${encodeURIComponent(to)}` : ""}`}
          className="inline-flex min-h-8 items-center justify-center rounded-sm border border-rule-strong bg-paper px-2.5 text-center hover:border-edge"
        >
          {w.byProvider(ways.provider)}
        </a>
      )}
      {passkeys && (
        <Button
          className="justify-center"
          disabled={busy || passkey.isPending}
          onClick={() => {
            passkey.mutate();
          }}
        >
          {w.byPasskey}
        </Button>
      )}
    </section>
  );
}

/** ShownAgain are the ways besides a password to show again who sits there. */
export function ShownAgain({ onShown }: { onShown: () => void }) {
  const ways = useQuery(queries.signInWays).data;
  const passkey = useMutation({
    mutationFn: async () => {
      const { options } = await ask(api.POST("/api/session/passkey"));
      await ask(api.PUT("/api/session/proof/passkey", { body: { credential: await showPasskey(options) } }));
    },
    onSuccess: onShown,
  });
  const here = `${location.pathname}${location.search}`;
  return (
    <div className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
      {ways?.passkeys && canPasskeys() && (
        <button
          type="button"
          className="min-h-6 text-ours underline underline-offset-3"
          disabled={passkey.isPending}
          onClick={() => {
            passkey.mutate();
          }}
        >
          {w.showPasskey}
        </button>
      )}
      {ways?.provider && (
        <a
          className="text-ours underline underline-offset-3"
          href={`/api/sign-in/provider?again=true&to=${encodeURIComponent(here)}`}
        >
          {w.showProvider(ways.provider)}
        </a>
      )}
      {passkey.error && <span className="text-ending">{why(passkey.error)}</span>}
    </div>
  );
}
