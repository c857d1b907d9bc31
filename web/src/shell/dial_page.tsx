import { useQuery } from "@tanstack/react-query";
import { Link, useSearch } from "@tanstack/react-router";
import { useEffect, useRef } from "react";

import { queries } from "../api/queries";
import { useDial } from "../calls/dial";
import { t } from "../texts";
import { Button } from "../ui/button";
import { Failed, Loading } from "../ui/states";

const d = t.book.dialPage;

/** DialPage is where a number comes from another page or program: it is filled in, and the rep's key or click dials. */
export function DialPage() {
  const { to = "" } = useSearch({ from: "/frame/dial" });
  const number = to.replace(/^tel:/i, "").trim();
  const found = useQuery({ ...queries.find(to), enabled: number !== "" });
  const { dial, dialing } = useDial();
  const button = useRef<HTMLButtonElement>(null);
  const offer = found.data?.dial;
  useEffect(() => {
    // Nothing else is on this page: the key that dials is under the finger.
    if (offer && !offer.problem && document.activeElement === document.body) button.current?.focus();
  }, [offer]);
  if (!number) return <Failed error={undefined} title={d.nothing} />;
  if (found.isPending) return <Loading />;
  return (
    <>
      <h1 className="name text-xl">{d.title}</h1>
      <p className="mt-2 text-[2rem] leading-10 font-semibold" data-testid="dial-number">
        {offer?.display ?? number}
      </p>
      {!offer || offer.problem ? (
        <p role="alert" className="mt-2 text-ending">
          {offer?.problem ?? t.number.notANumber}
        </p>
      ) : (
        <div className="mt-3 flex items-center gap-3">
          <Button
            ref={button}
            look="ours"
            hint={d.key}
            disabled={dialing}
            onClick={() => {
              dial({ typed: offer.typed }, offer.display);
            }}
          >
            {d.call(offer.display)}
          </Button>
          <span className="text-quiet">{d.hint}</span>
        </div>
      )}
      <h2 className="mt-6 border-b border-rule-strong pb-1 text-quiet">{d.who}</h2>
      {found.data?.records.length === 0 && <p className="py-2 text-quiet">{d.unknown}</p>}
      <ul>
        {found.data?.records.map((r) => (
          <li key={r.id} className="border-b border-rule py-1.5">
            <Link to="/records/$id" params={{ id: r.id }} className="name hover:underline">
              {r.name}
            </Link>{" "}
            <span className="text-quiet">{r.company?.name}</span>
          </li>
        ))}
      </ul>
    </>
  );
}
