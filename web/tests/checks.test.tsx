// @vitest-environment jsdom
/** Checks: a line for each cause, kept with a reason, an alarm by a second press, kept ones in one place. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Finding, RigAction, RigView } from "../src/api/client";
import { Checks, flagsOf } from "../src/steps/route/Checks";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const finding = (check: string, more: Partial<Finding> = {}): Finding => ({
  check,
  severity: "caution",
  at: check,
  sentence: `${check} is so.`,
  value: null,
  unit: "",
  fix: null,
  reason: "Because.",
  intended: false,
  intended_reason: "",
  consequences: [],
  ...more,
});

function checks(findings: Finding[]) {
  const edits: RigAction[] = [];
  const onSelect = vi.fn();
  const report: RigView["checks"] = { findings, passed: ["levels", "loops"], failed: [] };
  function Held() {
    const [keeping, setKeeping] = useState("");
    return (
      <Checks
        checks={report}
        keeping={keeping}
        onKeeping={setKeeping}
        onEdit={(action) => edits.push(action)}
        onSelect={onSelect}
      />
    );
  }
  show(<Held />);
  return { edits, onSelect };
}
const keep = (n = 0) => fireEvent.click(screen.getAllByRole("button", { name: /^Keep it/ })[n]!);
const why = () => screen.getByRole("textbox", { name: "Why it is meant" });

test("findings of one check are one line, with the others under it", () => {
  checks([finding("peak", { at: "a" }), finding("leak"), finding("peak", { at: "b" })]);
  expect(screen.getByText("3 cautions, 2 passed")).toBeTruthy();
  expect(screen.getByText("One more of the same cause")).toBeTruthy();
});

test("one that is meant is kept with the reason that was given, or none", () => {
  const { edits } = checks([finding("leak"), finding("peak")]);
  keep(0);
  fireEvent.change(why(), { target: { value: " slap, on purpose " } });
  fireEvent.keyDown(why(), { key: "Enter" });
  keep(1);
  fireEvent.click(screen.getByRole("button", { name: /It is meant/ }));
  expect(edits).toEqual([
    { do: "intend", check: "leak", at: "leak", on: true, reason: "slap, on purpose" },
    { do: "intend", check: "peak", at: "peak", on: true, reason: "" },
  ]);
});

test("an alarm wants a second press, and Escape leaves it open", () => {
  const { edits } = checks([finding("loop", { severity: "alarm" })]);
  keep();
  fireEvent.click(screen.getByRole("button", { name: /It is meant/ }));
  expect(edits).toEqual([]);
  expect(screen.getByText(/can hurt ears or gear/)).toBeTruthy();
  fireEvent.keyDown(why(), { key: "Escape" });
  expect(screen.queryByRole("textbox", { name: "Why it is meant" })).toBeNull();
  keep();
  fireEvent.click(screen.getByRole("button", { name: /It is meant/ }));
  fireEvent.click(screen.getByRole("button", { name: /Keep the alarm all the same/ }));
  expect(edits).toHaveLength(1);
});

test("kept ones stand in one place with their reasons, and can be opened again", () => {
  const { edits } = checks([
    finding("leak", { intended: true, intended_reason: "slap" }),
    finding("peak"),
  ]);
  expect(screen.getByText("1 marked as intended")).toBeTruthy();
  const reason = screen.getByRole("textbox", { name: "Reason for leak" }) as HTMLInputElement;
  expect(reason.value).toBe("slap");
  fireEvent.change(reason, { target: { value: "as on the demo" } });
  fireEvent.blur(reason);
  fireEvent.click(screen.getByRole("button", { name: "No longer" }));
  expect(edits).toEqual([
    { do: "intend", check: "leak", at: "leak", on: true, reason: "as on the demo" },
    { do: "intend", check: "leak", at: "leak", on: false, reason: "" },
  ]);
});

test("its flag leads to its place, its fix mends it", () => {
  const action = { do: "bypass", node: "hall" } as RigAction;
  const { edits, onSelect } = checks([
    finding("leak", { at: "hall", fix: { label: "Pass it by", action } }),
  ]);
  fireEvent.click(screen.getByRole("button", { name: /To the place of: leak/ }));
  expect(onSelect).toHaveBeenCalledWith("hall");
  fireEvent.click(screen.getByRole("button", { name: /Pass it by/ }));
  expect(edits).toEqual([action]);
});

test("flags of the drawing have the numbers of the list, and leave out what is kept or has no place", () => {
  const flags = flagsOf([
    finding("a", { severity: "alarm" }),
    finding("b", { at: "" }),
    finding("c", { intended: true }),
    finding("d", { severity: "note" }),
  ]);
  expect(flags).toEqual([
    { at: "a", mark: "1", kind: "fault" },
    { at: "d", mark: "2", kind: "note" },
  ]);
});
