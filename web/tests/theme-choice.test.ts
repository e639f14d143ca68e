// @vitest-environment jsdom
/** Light and dark: as the system says until the person chooses; paper is light. */
import { beforeEach, expect, test, vi } from "vitest";

const system = Object.assign(new EventTarget(), { matches: false });
vi.stubGlobal("matchMedia", () => system);
const { applyTheme, storedTheme, turnTheme } = await import("../src/ui/theme-choice");

const root = document.documentElement;
const shown = () => [...root.classList].sort().join();
const night = (dark: boolean) => {
  system.matches = dark;
  system.dispatchEvent(new Event("change"));
};
beforeEach(() => {
  localStorage.clear();
  night(false);
  applyTheme("system");
});

test("without a choice it goes with the system, by day and by night", () => {
  expect([storedTheme(), shown()]).toEqual(["system", "light"]);
  night(true);
  expect([storedTheme(), shown()]).toEqual(["system", "dark"]);
  night(false);
  expect(shown()).toBe("light");
});

test("a choice stays, whatever the system says, and can be given back", () => {
  turnTheme();
  expect([storedTheme(), shown()]).toEqual(["dark", "dark"]);
  night(true);
  night(false);
  expect(shown()).toBe("dark");
  turnTheme();
  expect([storedTheme(), shown()]).toEqual(["light", "light"]);
  night(true);
  expect(shown()).toBe("light");
  applyTheme("system");
  expect([storedTheme(), shown(), localStorage.length]).toEqual(["system", "dark", 0]);
});

test("what is printed is light, and the screen is as it was after it", () => {
  applyTheme("dark");
  window.dispatchEvent(new Event("beforeprint"));
  expect([shown(), storedTheme()]).toEqual(["light", "dark"]);
  window.dispatchEvent(new Event("afterprint"));
  expect(shown()).toBe("dark");
});

test("a stored word that is no theme counts for nothing", () => {
  localStorage.setItem("fonodrome.theme", "mauve");
  expect(storedTheme()).toBe("system");
});
