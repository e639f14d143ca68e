export type ThemeChoice = "system" | "light" | "dark";

const KEY = "fonodrome.theme";
const system = window.matchMedia("(prefers-color-scheme: dark)");

export function storedTheme(): ThemeChoice {
  const kept = localStorage.getItem(KEY);
  return kept === "light" || kept === "dark" ? kept : "system";
}

export function applyTheme(choice: ThemeChoice): void {
  const dark = choice === "dark" || (choice === "system" && system.matches);
  document.documentElement.classList.toggle("dark", dark);
  document.documentElement.classList.toggle("light", !dark);
  if (choice === "system") localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, choice);
}

// Paper is light, whatever the room is.
window.addEventListener("beforeprint", () => {
  document.documentElement.classList.remove("dark");
  document.documentElement.classList.add("light");
});
window.addEventListener("afterprint", () => applyTheme(storedTheme()));

system.addEventListener("change", () => applyTheme(storedTheme()));

/** Light becomes dark and dark light; from then on the choice is the person's. */
export function turnTheme(): void {
  applyTheme(document.documentElement.classList.contains("dark") ? "light" : "dark");
}
