import type { Schemas } from "../api/client";

type Said = Schemas["SaidTopic"];

/** lettersOf gives each topic a letter, in the order of their names: the same in the trace and in the transcript. */
export function lettersOf(topics: Said[]): { letter: string; topic: Said }[] {
  const names = [...new Set(topics.map((x) => x.name))].sort((a, b) => a.localeCompare(b));
  return topics.map((topic) => ({ letter: String.fromCharCode(65 + (names.indexOf(topic.name) % 26)), topic }));
}
