// @vitest-environment jsdom
/** Single keys: they work where the person is not typing, and never take what something else is there for. */
import { cleanup, fireEvent, render, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { allKeys, askForHelp, useHelpAsked, useKey } from "../src/ui/keys";
import { useHeld } from "../src/steps/listen/heard-keys";

const act = vi.fn();
beforeEach(() => act.mockClear());
afterEach(() => {
  cleanup();
  document.body.innerHTML = "";
});

const press = (on: Element, key: string, code = key, more: object = {}) => {
  fireEvent.keyDown(on, { key, code, ...more });
  fireEvent.keyUp(on, { key, code, ...more });
};
const put = (html: string): HTMLElement => {
  document.body.insertAdjacentHTML("beforeend", html);
  return document.body.lastElementChild as HTMLElement;
};

test("no two things of one place have the same key, and none has that of everywhere", () => {
  const taken = new Map<string, string>();
  for (const { scope, keys, does } of allKeys)
    for (const key of keys.split(",").map((k) => k.trim())) {
      const clash = taken.get(`${scope} ${key}`) ?? (scope !== "everywhere" && taken.get(`everywhere ${key}`)); // prettier-ignore
      expect(clash || "", `${key}: ${does}`).toBe("");
      taken.set(`${scope} ${key}`, does);
    }
});

test("a key works on the page and not in a field", () => {
  renderHook(() => useKey("route", "W", act));
  press(document.body, "w", "KeyW");
  expect(act).toHaveBeenCalledTimes(1);
  for (const field of ["<input>", "<textarea></textarea>", "<select></select>"])
    press(put(field), "w", "KeyW");
  expect(act).toHaveBeenCalledTimes(1);
});

test("a key that is not there is a fault of the program, found at once", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  expect(() => renderHook(() => useKey("route", "Ctrl Alt Ö", act))).toThrow("is not registered");
});

test("space presses the button that it is on, and listens elsewhere", () => {
  renderHook(() => useKey("route", "Space", act));
  press(put("<button>Play</button>"), " ", "Space");
  press(put("<a href='#x'>there</a>"), " ", "Space");
  expect(act).not.toHaveBeenCalled();
  press(document.body, " ", "Space");
  expect(act).toHaveBeenCalledTimes(1);
});

test("an open dialog, and whoever took the key before, have it alone", () => {
  renderHook(() => useKey("route", "W", act));
  const taker = put("<div tabindex='0'></div>");
  taker.addEventListener("keydown", (event) => event.preventDefault());
  press(taker, "w", "KeyW");
  const dialog = put("<dialog open></dialog>");
  press(document.body, "w", "KeyW");
  expect(act).not.toHaveBeenCalled();
  dialog.remove();
  press(document.body, "w", "KeyW");
  expect(act).toHaveBeenCalledTimes(1);
});

test("on a scale the keys that move it move it, others go on working", () => {
  renderHook(() => {
    useKey("route", "Esc", act);
    useKey("route", "W", act);
  });
  const scale = put("<div role='slider' tabindex='0'></div>");
  press(scale, "Escape", "Escape");
  expect(act).not.toHaveBeenCalled();
  press(scale, "w", "KeyW");
  expect(act).toHaveBeenCalledTimes(1);
});

test("what is put away hears nothing any more", () => {
  const { rerender, unmount } = renderHook(({ on }) => useKey("route", "W", act, on), {
    initialProps: { on: false },
  });
  press(document.body, "w", "KeyW");
  expect(act).not.toHaveBeenCalled();
  rerender({ on: true });
  press(document.body, "w", "KeyW");
  unmount();
  press(document.body, "w", "KeyW");
  expect(act).toHaveBeenCalledTimes(1);
});

test("a key that is held says so once, and lets go also when the window is left", () => {
  renderHook(() => useHeld("e", act));
  fireEvent.keyDown(document.body, { key: "e" });
  fireEvent.keyDown(document.body, { key: "e", repeat: true });
  fireEvent.keyUp(document.body, { key: "e" });
  fireEvent.keyDown(document.body, { key: "e" });
  fireEvent.blur(window);
  expect(act.mock.calls.map(([held]) => held)).toEqual([true, false, true, false]);
  act.mockClear();
  fireEvent.keyDown(put("<input>"), { key: "e" });
  fireEvent.keyDown(put("<input type='checkbox'>"), { key: "e" });
  fireEvent.keyDown(document.body, { key: "e", ctrlKey: true });
  expect(act.mock.calls).toEqual([[true]]);
});

test("help is asked for from anywhere and heard by who shows it", () => {
  function Sheet() {
    useHelpAsked(act);
    return null;
  }
  const { unmount } = render(<Sheet />);
  askForHelp();
  unmount();
  askForHelp();
  expect(act).toHaveBeenCalledTimes(1);
});
