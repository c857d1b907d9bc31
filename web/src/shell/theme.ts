// Light, dark, or like the system: kept in this browser.
export type Theme = "system" | "light" | "dark";

const storage = "trundo.theme";

export function theme(): Theme {
  try {
    const kept = localStorage.getItem(storage);
    return kept === "light" || kept === "dark" ? kept : "system";
  } catch {
    return "system";
  }
}

export function setTheme(next: Theme) {
  try {
    localStorage.setItem(storage, next);
  } catch {
    // good for this window, then
  }
  showTheme(next);
}

export function showTheme(now: Theme) {
  if (now === "system") delete document.documentElement.dataset["theme"];
  else document.documentElement.dataset["theme"] = now;
}
