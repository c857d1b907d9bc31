import { type ReactNode } from "react";

import { Failure } from "../api/client";
import { t } from "../texts";
import { Button } from "./button";

/** Loading, Empty and Failed are the three that every view has besides its content. */
export function Loading() {
  return (
    <p role="status" className="py-6 text-quiet">
      {t.loading} …
    </p>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <p className="max-w-prose py-6 text-quiet">{children}</p>;
}

export function Failed({ error, retry, title }: { error: unknown; retry?: () => void; title?: string }) {
  return (
    <div role="alert" className="max-w-prose py-6">
      {title ? <h1 className="name text-lg">{title}</h1> : <p className="name text-lg">{t.failed.title}</p>}
      <p className="mt-1 mb-3 text-quiet">{error instanceof Failure ? error.message : t.failed.unknown}</p>
      {retry && <Button onClick={retry}>{t.retry}</Button>}
    </div>
  );
}
