import { ToggleGroup as G } from "radix-ui";

/** Tabs choose what of one thing is shown. The choice lies with the caller, so that it can stand in the address. */
export function Tabs({
  label,
  value,
  onChange,
  options,
  beside = false,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
  beside?: boolean; // one under the other, at the side of what they choose
}) {
  return (
    <G.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(next) => {
        if (next) onChange(next); // one is always chosen
      }}
      orientation={beside ? "vertical" : "horizontal"}
      className={beside ? "flex flex-col items-start" : "flex gap-4 border-b border-rule"}
    >
      {options.map((o) => (
        <G.Item
          key={o.value}
          value={o.value}
          className={`min-h-8 border-transparent text-quiet hover:text-ink data-[state=on]:border-ink data-[state=on]:font-semibold data-[state=on]:text-ink ${beside ? "border-l-2 pl-2.5 text-left" : "-mb-px border-b-2"}`}
        >
          {o.label}
        </G.Item>
      ))}
    </G.Root>
  );
}
