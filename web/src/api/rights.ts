// What the one who is signed in may do: the server decides, the interface only leaves away what it would refuse.
import { useQuery } from "@tanstack/react-query";

import { queries } from "./queries";

/** useRights tells whether a right is there. */
export function useRights() {
  const rights = useQuery(queries.me).data?.rights ?? {};
  return {
    may: (right: string) => rights[right] !== undefined,
    /** others tells whether a right goes further than to one's own. */
    others: (right: string) => rights[right] !== undefined && rights[right] !== "own",
  };
}
