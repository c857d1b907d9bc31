import { useQuery } from "@tanstack/react-query";
import { Navigate, useNavigate } from "@tanstack/react-router";

import { queries } from "../api/queries";
import { AddPasskey } from "../settings/passkeys";
import { SecondFactor } from "../settings/second_factor";
import { t } from "../texts";
import { factor as s } from "../texts/staff";
import { waysIn } from "../texts/ways_in";
import { Mark } from "../ui/icons";

const w = waysIn.passkeys;

/** FactorPage stands before everything else where the firm asks for a second factor that somebody has not set up yet. */
export function FactorPage() {
  const navigate = useNavigate();
  const me = useQuery(queries.me).data;
  if (me && !me.second_factor_missing) return <Navigate to="/" />;
  return (
    <main className="flex min-h-dvh items-start justify-center px-4 pt-[10vh]">
      <div className="w-full max-w-lg">
        <div className="mb-4 flex items-center gap-2.5">
          <Mark />
          <span className="name text-xl">{t.name}</span>
        </div>
        <h1 className="name mb-2 text-lg">{s.needed}</h1>
        <p className="mb-3">{s.neededText}</p>
        <SecondFactor on={false} onDone={() => void navigate({ to: "/" })} />
        <h2 className="name mt-6">{w.instead}</h2>
        <p className="max-w-prose py-1">{w.insteadText}</p>
        <AddPasskey onDone={() => void navigate({ to: "/" })} />
      </div>
    </main>
  );
}
