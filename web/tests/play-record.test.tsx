// @vitest-environment jsdom
/** A test signal is played at most at its own level, recorded from the frame that it began at, and a
 * take with lost samples is never sent. */
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { PlayRecord } from "../src/steps/verify/bench/PlayRecord";
import { TAIL_S } from "../src/steps/verify/bench/playing";
import { uploadFile } from "../src/api/upload";
import { system } from "../src/ui/theme";
import { standIn } from "./dom";

vi.mock("../src/api/upload", () => ({ uploadFile: vi.fn() }));

const RATE = 100;
const SECONDS = 3;
let clock: number;
let gains: number[];
let started: number[];
let stopped: number;
let port: { onmessage: (event: { data: unknown }) => void };
let found: Response;

beforeEach(() => {
  standIn();
  HTMLDialogElement.prototype.close = vi.fn();
  clock = 1;
  gains = [];
  started = [];
  stopped = 0;
  found = { ok: true, arrayBuffer: () => Promise.resolve(new ArrayBuffer(8)) } as Response;
  vi.stubGlobal("fetch", () => Promise.resolve(found));
  vi.stubGlobal(
    "AudioContext",
    class {
      sampleRate = RATE;
      audioWorklet = { addModule: () => Promise.resolve() };
      destination = {};
      get currentTime() {
        return clock;
      }
      resume = () => Promise.resolve();
      close = () => Promise.resolve();
      decodeAudioData = () => Promise.resolve({});
      createMediaStreamSource = () => ({ connect: () => undefined });
      createGain = () => {
        const gain = { value: 1 };
        return { gain: new Proxy(gain, { set: (_, __, v) => Boolean(gains.push(v)) || true }), connect: () => undefined }; // prettier-ignore
      };
      createBufferSource = () => ({
        connect: (to: unknown) => to,
        start: (at: number) => started.push(at),
        stop: () => (stopped += 1),
      });
    },
  );
  vi.stubGlobal(
    "AudioWorkletNode",
    class {
      port = (port = { onmessage: () => undefined });
    },
  );
  Object.defineProperty(navigator, "mediaDevices", {
    configurable: true,
    value: {
      getUserMedia: () => Promise.resolve({ getTracks: () => [{ stop: () => undefined }] }),
      enumerateDevices: () => Promise.resolve([]),
    },
  });
  vi.mocked(uploadFile)
    .mockReset()
    .mockResolvedValue({ id: "clip-1" } as never);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const halt = (name: string, start_s: number) => ({ name, words: name, start_s, length_s: 1 });
const kind = {
  kind: "cable",
  seconds: SECONDS,
  halts: [halt("Marker", 0), halt("Notes", 1), halt("Stillness", 2)],
  stand_ins: [],
} as never;

function shown(of: never = kind) {
  const onTake = vi.fn();
  render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={new QueryClient()}>
        <PlayRecord
          songId="s"
          kind={of}
          address={(rate) => `/signal?rate=${rate}`}
          onTake={onTake}
          onClose={() => undefined}
        />
      </QueryClientProvider>
    </ChakraProvider>,
  );
  return onTake;
}

const button = (name: RegExp) => screen.getByRole("button", { name }) as HTMLButtonElement;
/** One second of the input, every sample its own frame. */
const second = (from: number) =>
  port.onmessage({
    data: { frame: from * RATE, channels: [Float32Array.from({ length: RATE }, (_, i) => from * RATE + i)] },
  }); // prettier-ignore

async function play() {
  await waitFor(() => expect(button(/^Play and record/).disabled).toBe(false));
  fireEvent.click(button(/^Play and record/));
  await waitFor(() => expect(started).toHaveLength(1));
}

test("what is sent begins at the frame at which playing began", async () => {
  const onTake = shown();
  await play();
  const start = started[0]!;
  expect(start).toBeGreaterThan(1);
  for (let s = 1; s < 6; s++) second(s);
  clock = start + SECONDS + TAIL_S + 0.1;
  await waitFor(() => expect(onTake).toHaveBeenCalledWith("clip-1"));
  const file = vi.mocked(uploadFile).mock.calls[0]![1] as File;
  const bytes = await new Promise<ArrayBuffer>((done) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result as ArrayBuffer);
    reader.readAsArrayBuffer(file);
  });
  const view = new DataView(bytes);
  expect(view.getUint32(24, true)).toBe(RATE);
  // The first sample is the one of that frame.
  expect(view.getFloat32(44, true)).toBe(Math.round(start * RATE));
  expect(stopped).toBe(1);
});

test("a take in which samples were lost is not sent, and it is said how many", async () => {
  const onTake = shown();
  await play();
  second(1);
  second(3);
  second(4);
  clock = started[0]! + SECONDS + TAIL_S + 0.1;
  await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("100 samples fall"));
  expect(uploadFile).not.toHaveBeenCalled();
  expect(onTake).not.toHaveBeenCalled();
  expect(button(/^Play and record/).disabled).toBe(false);
});

test("it is played at its level or lower, and stopped at once", async () => {
  shown();
  fireEvent.change(screen.getByRole("combobox", { name: "send" }), { target: { value: "-20" } });
  await play();
  expect(gains[0]).toBeCloseTo(0.1);
  expect(Math.max(...gains)).toBeLessThanOrEqual(1);
  fireEvent.click(button(/^Stop/));
  expect(stopped).toBe(1);
  expect(gains.at(-1)).toBe(0);
  clock = 99;
  await new Promise((done) => setTimeout(done, 250));
  expect(uploadFile).not.toHaveBeenCalled();
});

test("a signal that does not come is said, and nothing sounds", async () => {
  found = { ok: false } as Response;
  shown();
  await waitFor(() => expect(button(/^Play and record/).disabled).toBe(false));
  fireEvent.click(button(/^Play and record/));
  await waitFor(() =>
    expect(screen.getByRole("alert").textContent).toContain("could not be fetched"),
  );
  expect(started).toEqual([]);
});

test("halts are told by where playing has got to", async () => {
  shown();
  await play();
  clock = started[0]! + 1.5;
  await waitFor(() =>
    expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("50"),
  );
});

test("a mix control is turned when it is its turn, and told so in large words", async () => {
  const turned = (name: string, words: string, start_s: number) => ({
    ...halt(name, start_s),
    words,
  });
  shown({
    ...(kind as object),
    kind: "mix",
    halts: [halt("Marker", 0), turned("At 0 %", "turn it to all dry", 1), turned("At 25 %", "turn it to 25", 2)],
  } as never); // prettier-ignore
  // Before it begins: where the control has to stand.
  expect(screen.getByText("Turn it to all dry")).toBeTruthy();
  await play();
  clock = started[0]! + 2.5;
  second(1);
  await screen.findByText("Turn it to 25");
});
