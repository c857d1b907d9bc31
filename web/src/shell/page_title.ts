import { useEffect } from "react";

import { t } from "../texts";

/** usePageTitle gives the window the name of the page on the sheet: what its heading says. */
export function usePageTitle() {
  useEffect(() => {
    const sheet = document.getElementById("sheet");
    if (!sheet) return;
    const name = () => {
      const heading = sheet.querySelector("h1")?.textContent?.trim();
      const title = heading ? `${heading} · ${t.name}` : t.name;
      if (document.title !== title) document.title = title;
    };
    let due: ReturnType<typeof setTimeout> | undefined;
    const watch = new MutationObserver(() => {
      due ??= setTimeout(() => {
        due = undefined;
        name();
      }, 100);
    });
    watch.observe(sheet, { childList: true, subtree: true, characterData: true });
    name();
    return () => {
      watch.disconnect();
      clearTimeout(due);
      document.title = t.name;
    };
  }, []);
}
