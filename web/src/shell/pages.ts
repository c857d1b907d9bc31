// The pages a rep goes to all day. They are not part of the first load; once that is shown they are fetched while nothing else is to be done, so that
// no key waits for them.
export const pages = {
  record: () => import("../book/record"),
  people: () => import("../book/people"),
  lists: () => import("../lists/lists"),
  calls: () => import("../calls/calls"),
  dial: () => import("./dial_page"),
};

/** fetchPages fetches them when the window has nothing else to do. */
export function fetchPages() {
  const fetchAll = () => {
    for (const page of Object.values(pages)) void page().catch(() => undefined); // it is fetched again when it is asked for
  };
  if ("requestIdleCallback" in window) requestIdleCallback(fetchAll, { timeout: 2_000 });
  else setTimeout(fetchAll, 500);
}
