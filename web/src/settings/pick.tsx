import { Select } from "../ui/field";

export function Pick({
  label,
  value,
  none,
  options,
  onPick,
}: {
  label: string;
  value: string;
  none?: string;
  options: [string, string][];
  onPick: (value: string) => void;
}) {
  return (
    <Select
      label={label}
      value={value}
      onChange={(e) => {
        onPick(e.target.value);
      }}
    >
      {none !== undefined && <option value="">{none}</option>}
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </Select>
  );
}
