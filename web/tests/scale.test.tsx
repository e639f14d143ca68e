// @vitest-environment jsdom
/** A scale by pointer, keys and typing, in a real document. */
import { ChakraProvider } from "@chakra-ui/react";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import { ScaleSlider } from "../src/charts/ScaleSlider";
import { num } from "../src/ui/format";
import { system } from "../src/ui/theme";

beforeAll(() => {
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      disconnect() {}
    },
  );
});
afterEach(cleanup);

function Held({ onValue }: { onValue: (value: number) => void }) {
  const [value, setValue] = useState(12);
  return (
    <ScaleSlider
      label="knee"
      value={value}
      low={0}
      high={24}
      step={0.5}
      ticks={[0, 24]}
      least={0}
      most={48}
      rest={6}
      shown={(v) => `${num(v, 1)} dB`}
      onChange={(v) => {
        setValue(v);
        onValue(v);
      }}
    />
  );
}
function shown() {
  const onValue = vi.fn();
  render(
    <ChakraProvider value={system}>
      <Held onValue={onValue} />
    </ChakraProvider>,
  );
  return {
    onValue,
    slider: screen.getByRole("slider", { name: "knee" }),
    field: screen.getByRole<HTMLInputElement>("textbox", { name: "knee, typed" }),
  };
}

test("arrows step, Shift coarser, Alt finer, Home and End go to the ends of the scale", () => {
  const { slider, field } = shown();
  const press = (key: string, more = {}) => {
    fireEvent.keyDown(slider, { key, ...more });
    return field.value;
  };
  expect(press("ArrowRight")).toBe("12.5 dB");
  expect(press("ArrowDown")).toBe("12.0 dB");
  expect(press("ArrowUp", { shiftKey: true })).toBe("17.0 dB");
  press("ArrowLeft", { altKey: true });
  expect(slider.getAttribute("aria-valuenow")).toBe("16.95");
  expect(press("End")).toBe("24.0 dB");
  expect(press("ArrowRight")).toBe("24.0 dB");
  expect(press("Home")).toBe("0.0 dB");
});

test("a double click and Escape put the value back to what it was before anybody set it", () => {
  const { slider, onValue } = shown();
  fireEvent.doubleClick(slider);
  fireEvent.keyDown(slider, { key: "ArrowRight" });
  fireEvent.keyDown(slider, { key: "Escape" });
  expect(onValue.mock.calls).toEqual([[6], [6.5], [6]]);
});

test("a value can be typed beyond the scale, as far as it can be set", async () => {
  const { field, onValue } = shown();
  await userEvent.clear(field);
  await userEvent.type(field, "40 dB{Enter}");
  expect(onValue.mock.calls).toEqual([[40]]);
  expect(field.value).toBe("40.0 dB");
});

test("nonsense is said at its place, changes nothing, and Escape restores", async () => {
  const { field, onValue } = shown();
  for (const text of ["loud", "1e9", "-3", "99", "5 Hz"]) {
    await userEvent.clear(field);
    await userEvent.type(field, `${text}{Enter}`);
    expect(screen.getByRole("alert").textContent, text).toMatch(/0 to 48|is not in dB/);
    expect(field.getAttribute("aria-invalid")).toBe("true");
  }
  await userEvent.type(field, "{Escape}");
  expect(screen.queryByRole("alert")).toBeNull();
  expect(field.value).toBe("12.0 dB");
  expect(onValue).not.toHaveBeenCalled();
});
