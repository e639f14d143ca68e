// @vitest-environment jsdom
/** The microphone: open while it is recorded from, closed whatever fails and whenever it is left. */
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { Recording } from "../src/clips/Record";
import { system } from "../src/ui/theme";

let open: number;
let contexts: number;
let fails: "" | "worklet" | "node" | "context" | "allow" | "list";

beforeEach(() => {
  open = contexts = 0;
  fails = "";
  HTMLDialogElement.prototype.showModal = vi.fn();
  HTMLDialogElement.prototype.close = vi.fn();
  vi.stubGlobal(
    "AudioContext",
    class {
      sampleRate = 48_000;
      state = "running";
      audioWorklet = {
        addModule: () =>
          fails === "worklet" ? Promise.reject(new Error("no module")) : Promise.resolve(),
      };
      constructor() {
        if (fails === "context") throw new Error("too many");
        contexts += 1;
      }
      createMediaStreamSource = () => ({ connect: () => undefined });
      addEventListener = () => undefined;
      close = () => {
        contexts -= 1;
        this.state = "closed";
        return Promise.resolve();
      };
    },
  );
  vi.stubGlobal(
    "AudioWorkletNode",
    class {
      port = {};
      constructor() {
        if (fails === "node") throw new Error("not registered");
      }
    },
  );
  const track = { stop: () => (open -= 1) };
  Object.defineProperty(navigator, "mediaDevices", {
    configurable: true,
    value: {
      getUserMedia: () => {
        if (fails === "allow") return Promise.reject(new DOMException("", "NotAllowedError"));
        open += 1;
        return Promise.resolve({ getTracks: () => [track] });
      },
      enumerateDevices: () =>
        fails === "list" ? Promise.reject(new Error("none")) : Promise.resolve([]),
    },
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const shown = () =>
  render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={new QueryClient()}>
        <Recording songId="s" onClip={() => undefined} onClose={() => undefined} />
      </QueryClientProvider>
    </ChakraProvider>,
  );

test.each(["worklet", "node", "context", "list"] as const)(
  "where the %s fails, the microphone is closed again and it is said",
  async (what) => {
    fails = what;
    shown();
    await waitFor(() => expect(screen.getByText(/could not be opened/)).toBeTruthy());
    expect([open, contexts]).toEqual([0, 0]);
  },
);

test("it is open while it is recorded from, and closed when it is left", async () => {
  const page = shown();
  await waitFor(() => expect([open, contexts]).toEqual([1, 1]));
  page.unmount();
  expect([open, contexts]).toEqual([0, 0]);
});

test("left before it had come, it is closed as it comes", async () => {
  const page = shown();
  page.unmount();
  await waitFor(() => expect(contexts).toBe(0));
  await new Promise((done) => setTimeout(done, 20));
  expect([open, contexts]).toEqual([0, 0]);
});

test("one that is not allowed is a sentence that says what to do", async () => {
  fails = "allow";
  shown();
  await waitFor(() => expect(screen.getByText(/Allow it for this page/)).toBeTruthy());
});
