import { insight as x } from "../texts/insight";
import { Chip } from "../ui/chip";
import type { Condition } from "./asked";

/** Conditions are those that hold, each of which can be removed. labelOf says what a value is called. */
export function Conditions({
  where,
  labelOf,
  onChange,
}: {
  where: Condition[];
  labelOf: (facet: string, key: string) => string;
  onChange: (where: Condition[]) => void;
}) {
  return where.map((c) => {
    const words = c.values.map((v) => labelOf(c.facet, v)).join(" or ");
    const text = `${x.facets[c.facet] ?? c.facet}: ${c.not ? `${x.find.not} ` : ""}${words}`;
    return (
      <Chip
        key={`${c.facet}${c.not ? "-" : "+"}`}
        remove={() => {
          onChange(where.filter((y) => y !== c));
        }}
        removeLabel={x.find.remove(text)}
      >
        <span title={text}>{text}</span>
      </Chip>
    );
  });
}
