/** What tests of components need of a document that a browser would have. */
import { ChakraProvider } from "@chakra-ui/react";
import { fireEvent, render } from "@testing-library/react";
import type { ReactNode } from "react";
import { vi } from "vitest";

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
  Element.prototype.setPointerCapture = () => {};
  HTMLDialogElement.prototype.showModal = function () {
    this.setAttribute("open", "");
  };
}

export const show = (children: ReactNode) =>
  render(<ChakraProvider value={system}>{children}</ChakraProvider>);

/** One event of a pointer; jsdom has none of its own that knows a finger from a mouse. */
export function point(
  on: Element,
  type: "down" | "move" | "up" | "cancel",
  clientX = 0,
  more: { clientY?: number; button?: number; pointerType?: string } = {},
): void {
  const { pointerType = "mouse", ...init } = more;
  const event = new MouseEvent(`pointer${type}`, { bubbles: true, clientX, ...init });
  Object.defineProperty(event, "pointerType", { value: pointerType });
  fireEvent(on, event);
}
