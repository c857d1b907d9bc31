import { type ReactNode } from "react";

/** Block is a small part at the side of a sheet, under its title. */
export function Block({ title, children, act }: { title: string; children: ReactNode; act?: ReactNode }) {
  return (
    <section aria-label={title}>
      <div className="flex min-h-6 items-center justify-between">
        <h2 className="text-sm text-quiet">{title}</h2>
        {act}
      </div>
      {children}
    </section>
  );
}
