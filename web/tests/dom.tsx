/** What tests of components need of a document that a browser would have. */
import { ChakraProvider } from "@chakra-ui/react";
import { render } from "@testing-library/react";
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
  SVGElement.prototype.setPointerCapture = () => {};
  HTMLDialogElement.prototype.showModal = function () {
    this.setAttribute("open", "");
  };
}

export const show = (children: ReactNode) =>
  render(<ChakraProvider value={system}>{children}</ChakraProvider>);
