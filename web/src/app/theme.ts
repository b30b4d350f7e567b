const KEY = "netloom.theme";

/** The person's choice, else what the system prefers. */
export function applyTheme(): void {
  const chosen = localStorage.getItem(KEY);
  const dark = chosen ? chosen === "dark" : window.matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.theme = dark ? "dark" : "light";
}

export function toggleTheme(): void {
  localStorage.setItem(KEY, document.documentElement.dataset.theme === "dark" ? "light" : "dark");
  applyTheme();
}
