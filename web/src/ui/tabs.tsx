import { ToggleGroup as G } from "radix-ui";

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
    <G.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => {
        if (next) onChange(next); // one is always chosen
      }}
      className="flex gap-4 border-b border-rule"
    >
      {options.map((o) => (
        <G.Item
          key={o.value}
          value={o.value}
          className="-mb-px min-h-8 border-b-2 border-transparent text-quiet hover:text-ink data-[state=on]:border-ink data-[state=on]:font-semibold data-[state=on]:text-ink"
        >
          {o.label}
        </G.Item>
      ))}
    </G.Root>
  );
}
