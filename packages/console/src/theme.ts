/** Light or dark: as the system says, until somebody chooses. */

const KEEP = "zany.theme";

export function isDark(): boolean {
  const kept = localStorage.getItem(KEEP);
  return kept ? kept === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
}

export function applyTheme(): void {
  document.documentElement.classList.toggle("dark", isDark());
}

export function toggleTheme(): void {
  localStorage.setItem(KEEP, isDark() ? "light" : "dark");
  applyTheme();
}
