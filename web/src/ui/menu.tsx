import { DropdownMenu as M } from "radix-ui";
import { type ReactNode } from "react";

/** Menu is a list of things to do that opens from a button. */
export function Menu({
  trigger,
  children,
  align = "start",
}: {
  trigger: ReactNode;
  children: ReactNode;
  align?: "start" | "end";
}) {
  return (
    <M.Root modal={false}>
      <M.Trigger asChild>{trigger}</M.Trigger>
      <M.Portal>
        <M.Content
          align={align}
          sideOffset={4}
          className="z-50 max-h-[70vh] min-w-44 overflow-y-auto rounded-md border border-rule-strong bg-sheet py-1 shadow-lg"
        >
          {children}
        </M.Content>
      </M.Portal>
    </M.Root>
  );
}

export function MenuItem({
  onSelect,
  disabled = false,
  children,
}: {
  onSelect: () => void;
  disabled?: boolean;
  children: ReactNode;
}) {
  return (
    <M.Item
      disabled={disabled}
      onSelect={onSelect}
      className="flex min-h-7 cursor-pointer items-center px-3 py-1 outline-none data-[disabled]:opacity-55 data-[highlighted]:bg-ours-soft"
    >
      {children}
    </M.Item>
  );
}

export function MenuLabel({ children }: { children: ReactNode }) {
  return <M.Label className="px-3 pt-1.5 pb-0.5 text-sm text-quiet">{children}</M.Label>;
}

/** MenuChoice is one of several that exclude each other. */
export function MenuChoices({
  value,
  onChange,
  options,
}: {
  value: string;
  onChange: (value: string) => void;
  options: { value: string; label: string }[];
}) {
  return (
    <M.RadioGroup value={value} onValueChange={onChange}>
      {options.map((o) => (
        <M.RadioItem
          key={o.value}
          value={o.value}
          className="flex min-h-7 cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-ours-soft"
        >
          <span
            className="inline-block size-2 rounded-full border border-edge data-[on=true]:bg-ours"
            data-on={o.value === value}
          />
          {o.label}
        </M.RadioItem>
      ))}
    </M.RadioGroup>
  );
}

export function MenuLine() {
  return <M.Separator className="my-1 h-px bg-rule" />;
}

/** MenuTick is one of several that can be on at the same time; the menu stays open. */
export function MenuTick({
  on,
  onChange,
  children,
}: {
  on: boolean;
  onChange: (on: boolean) => void;
  children: ReactNode;
}) {
  return (
    <M.CheckboxItem
      checked={on}
      onCheckedChange={onChange}
      onSelect={(e) => {
        e.preventDefault();
      }}
      className="flex min-h-7 cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-ours-soft"
    >
      <span aria-hidden className="inline-block w-3 text-ours">
        {on ? "✓" : ""}
      </span>
      {children}
    </M.CheckboxItem>
  );
}
