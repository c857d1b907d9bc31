import { Tabs as T } from "radix-ui";

/** Tabs choose what of one thing is shown. The choice lies with the caller, so that it can stand in the address. */
export function Tabs({
  label,
  value,
  onChange,
  options,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
}) {
  return (
    <T.Root value={value} onValueChange={onChange} activationMode="manual">
      <T.List aria-label={label} className="flex gap-4 border-b border-rule">
        {options.map((o) => (
          <T.Trigger
            key={o.value}
            value={o.value}
            className="-mb-px min-h-8 border-b-2 border-transparent text-quiet hover:text-ink data-[state=active]:border-ink data-[state=active]:font-semibold data-[state=active]:text-ink"
          >
            {o.label}
          </T.Trigger>
        ))}
      </T.List>
    </T.Root>
  );
}
