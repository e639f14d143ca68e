/** What tests of components need of a document that a browser would have. */
import { ChakraProvider } from "@chakra-ui/react";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { vi } from "vitest";

import type { Frame, Parameter } from "../src/api/client";
import { system } from "../src/ui/theme";

/** jsdom has no layout, no dialogs and no matchMedia. */
export function standIn(): void {
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      disconnect() {}
    },
  );
  Element.prototype.scrollIntoView = () => {};
  SVGElement.prototype.setPointerCapture = () => {};
  HTMLDialogElement.prototype.showModal = function () {
    this.setAttribute("open", "");
  };
}

export const show = (children: ReactNode) =>
  render(<ChakraProvider value={system}>{children}</ChakraProvider>);

export const SONG = {
  tempo_bpm: 120,
  beat_unit: "1/4",
  metre_count: 4,
  metre_unit: 4,
  sample_rate_hz: 48_000,
} as Frame;

export const parameter = (more: Partial<Parameter> & { field: string }): Parameter => ({
  label: more.field,
  sort: "number",
  unit: "",
  low: null,
  high: null,
  choices: [],
  about: "",
  optional: false,
  own: true,
  group: "level",
  default: 0,
  scale: null,
  ...more,
});
