// @vitest-environment jsdom
/** What is typed and not taken yet: it outlives the page, finds its field again, and no other. */
import { act, cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test } from "vitest";

import { DraftScope, forgetLeft, forgetTyped, typedIn, useDraft, useTakes } from "../src/ui/drafts";
import { thisTab } from "../src/ui/tabs";

const taken: string[] = [];

function Field({ value = "3", label = "Level" }: { value?: string; label?: string }) {
  const [draft, setDraft, takes] = useDraft(label, value);
  useTakes(takes, (text) => void taken.push(text));
  return (
    <input
      aria-label={label}
      value={draft ?? value}
      onChange={(event) => setDraft(event.target.value)}
      onKeyDown={(event) => event.key === "Escape" && setDraft(null)}
    />
  );
}

const inScope = (scope: string, field = <Field />) =>
  render(<DraftScope value={scope}>{field}</DraftScope>);
const field = () => screen.getByRole("textbox") as HTMLInputElement;
const type = (text: string) => fireEvent.change(field(), { target: { value: text } });
const keys = () => Object.keys(localStorage).filter((k) => k.startsWith("fonodrome.typed."));
/** The page dies: what this tab kept is now another tab's, written a while ago. */
function crash(age_ms = 120_000) {
  cleanup();
  for (const key of keys()) {
    const typed = JSON.parse(localStorage.getItem(key)!) as { at: number };
    localStorage.removeItem(key);
    const other = key.replace(thisTab, "gone");
    localStorage.setItem(other, JSON.stringify({ ...typed, at: Date.now() - age_ms }));
  }
  forgetLeft();
}
/** Long enough for what is looked for to be found. */
const rest = () => act(() => new Promise((done) => setTimeout(done, 20)));

beforeEach(() => {
  localStorage.clear();
  taken.length = 0;
  forgetLeft();
});
afterEach(cleanup);

test("each key press is kept; Escape lets it go", () => {
  inScope("v1 delay");
  type("1/8");
  type("1/8.");
  expect(keys()).toHaveLength(1);
  expect(JSON.parse(localStorage.getItem(keys()[0]!)!)).toMatchObject({ text: "1/8.", from: "3" });
  fireEvent.keyDown(field(), { key: "Escape" });
  expect(keys()).toEqual([]);
  expect(field().value).toBe("3");
});

test("after a crash the field has it again, and it is taken as if the field was left", async () => {
  inScope("v1 delay");
  type("4.5");
  crash();
  inScope("v1 delay");
  await waitFor(() => expect(field().value).toBe("4.5"));
  expect(taken).toEqual(["4.5"]);
  // It is this tab's now: it outlives the next crash too.
  crash();
  inScope("v1 delay");
  await waitFor(() => expect(field().value).toBe("4.5"));
});

test("going to another step and back is no loss", async () => {
  inScope("v1 delay");
  type("7");
  cleanup();
  inScope("v1 delay");
  await waitFor(() => expect(field().value).toBe("7"));
  expect(taken).toEqual(["7"]);
});

test("another stage, another field, or a value that changed meanwhile gets nothing", async () => {
  inScope("v1 delay");
  type("9");
  crash();
  inScope("v1 reverb");
  await rest();
  expect(field().value).toBe("3");
  cleanup();
  inScope("v1 delay", <Field label="Feedback" />);
  await rest();
  expect(field().value).toBe("3");
  cleanup();
  inScope("v1 delay", <Field value="5" />);
  await rest();
  expect([field().value, taken]).toEqual(["5", []]);
});

test("what is being typed in another open tab stays there", async () => {
  inScope("v1 delay");
  type("12");
  crash(0);
  inScope("v1 delay");
  await rest();
  expect(field().value).toBe("3");
  expect(keys()).toHaveLength(1);
});

test("whoever signs out leaves nothing half-written", () => {
  inScope("v1 delay");
  type("secret");
  localStorage.setItem("fonodrome.theme", "dark");
  forgetTyped();
  expect(Object.keys(localStorage)).toEqual(["fonodrome.theme"]);
});

test("what is spoilt or a week old is nothing", () => {
  const typed = { text: "1", from: "2", at: 1_000 };
  expect(typedIn(JSON.stringify(typed), 2_000)).toEqual(typed);
  expect(typedIn(JSON.stringify(typed), 1_000 + 7 * 86_400_000)).toBeNull();
  for (const text of [null, "", "{", "5", "[]", '{"text":1,"from":"","at":2}'])
    expect(typedIn(text, 0), String(text)).toBeNull();
});
