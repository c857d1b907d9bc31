// What an address says about which calls are listed.
import type { CallsAsked } from "../api/queries";

/** Asked is what an address says about which calls are listed. */
export type Asked = {
  whose?: "team" | undefined;
  way?: CallsAsked["way"];
  only?: CallsAsked["only"];
  q?: string | undefined;
};

export const ways = ["inbound", "outbound", "internal"] as const;
export const onlys = ["missed", "voicemail", "unreturned", "nobody", "no_outcome"] as const;

/** callsIn reads an address. */
export function callsIn(s: Record<string, unknown>): Asked {
  const way = ways.find((x) => x === s["way"]);
  const only = onlys.find((x) => x === s["only"]);
  const q = s["q"] === undefined ? "" : String(s["q"] as string).slice(0, 200);
  return {
    whose: s["whose"] === "team" ? "team" : undefined,
    ...(way ? { way } : {}),
    ...(only ? { only } : {}),
    q: q || undefined,
  };
}
