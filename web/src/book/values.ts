// Fields and their values: which a kind has, and how they are written for reading.
import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../api/client";
import { queries } from "../api/queries";
import { clockTime, dayShort } from "../ui/times";

export type FieldDef = Schemas["FieldDef"];
export type Kind = Schemas["RecordKind"];

/** listKind is a kind of record, or people: contacts and leads together. */
export type ListKind = Kind | "people";

export const kindsOf = (k: ListKind): Kind[] => (k === "people" ? ["contact", "lead"] : [k]);

/** useFields gives the fields of a kind; of people those of contacts and leads in one list. */
export function useFields(kind: ListKind): FieldDef[] {
  const book = useQuery(queries.book).data;
  if (!book) return [];
  return kind === "people" ? book.people_fields : (book.kinds.find((x) => x.kind === kind)?.fields ?? []);
}

export const emptyBook: Schemas["Book"] = {
  kinds: [],
  people_fields: [],
  labels: [],
  people: [],
  currency: "USD",
};

export const useBook = () => useQuery(queries.book).data ?? emptyBook;

/** money writes "18400.00 USD" as an amount for reading. */
export function money(text: string): string {
  const [amount, currency] = text.split(" ");
  const value = globalThis.Number(amount);
  if (!currency || globalThis.Number.isNaN(value)) return text;
  try {
    return new Intl.NumberFormat("en-US", {
      style: "currency",
      currency,
      ...(value % 1 === 0 ? { minimumFractionDigits: 0 } : {}),
    }).format(value);
  } catch {
    return text;
  }
}

/** written writes a field's text for reading. */
export function written(type: FieldDef["type"], text: string): string {
  if (!text) return "";
  switch (type) {
    case "money":
      return money(text);
    case "date":
      return dayShort(`${text}T12:00:00Z`);
    case "time":
      return `${dayShort(text)}, ${clockTime(text)}`;
    default:
      return text;
  }
}
