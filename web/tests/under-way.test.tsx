// @vitest-environment jsdom
/** What is under way says how far and by which attempt; what is deleted comes back by one press. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import { Refused } from "../src/api/client";
import { UnderWay, useEnded } from "../src/steps/verify/UnderWay";
import { deleteWithUndo } from "../src/ui/deleting";
import { NumberField } from "../src/ui/NumberField";
import { Toasts } from "../src/ui/Toasts";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

function shown(row: { status: string; progress: number; stage: string; attempt?: number }) {
  const client = new QueryClient();
  const asked = vi.spyOn(client, "invalidateQueries");
  const cancel = vi.fn(() => Promise.resolve());
  show(
    <QueryClientProvider client={client}>
      <UnderWay
        title="Measuring"
        about="a pedal"
        stages={["find", "read"]}
        label="Measurement"
        row={row}
        cancelWord="Cancel it"
        note="Keep working."
        cancel={cancel}
        queryKey={["measurement", "7"]}
      />
    </QueryClientProvider>,
  );
  return { asked, cancel };
}

test("how far it is, at what, and that it was taken up again", () => {
  shown({ status: "running", progress: 0.426, stage: "Reading the burst", attempt: 2 });
  expect(screen.getByRole("status").textContent).toBe(
    "43 %, Reading the burst; attempt 2, taken up again after an interruption",
  );
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("43");
  cleanup();
  shown({ status: "queued", progress: 0, stage: "" });
  expect(screen.getByRole("status").textContent).toBe("0 %, waiting its turn");
});

test("cancelling asks for it once, and then how it stands", async () => {
  const { asked, cancel } = shown({ status: "running", progress: 0.1, stage: "x" });
  fireEvent.click(screen.getByRole("button", { name: "Cancel it" }));
  await waitFor(() => expect(asked).toHaveBeenCalledWith({ queryKey: ["measurement", "7"] }));
  expect(cancel).toHaveBeenCalledTimes(1);
});

test("what is deleted is said and comes back by a press; what cannot be is said instead", async () => {
  show(
    <MemoryRouter>
      <Toasts />
    </MemoryRouter>,
  );
  const calls: string[] = [];
  const did = (word: string) => () => {
    calls.push(word);
    return Promise.resolve();
  };
  await deleteWithUndo("It is deleted.", did("remove"), did("restore"), did("refresh"));
  expect(await screen.findByText("It is deleted.")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Undo" }));
  await waitFor(() => expect(calls).toEqual(["remove", "refresh", "restore", "refresh"]));
  const refused = new Refused({ status: 409, detail: "It is in use." } as never);
  await deleteWithUndo("Not said.", () => Promise.reject(refused), did("no"), did("no"));
  expect(await screen.findByText("It is in use.")).toBeTruthy();
  expect(screen.queryByText("Not said.")).toBe(null);
  expect(calls).not.toContain("no");
});

test("a number's name stands above it where nothing else names it, and is its one name", () => {
  const field = (named: boolean) => (
    <NumberField named={named} label="gain of B" unit="dB" value={0} least={-9} most={9} onCommit={() => undefined} />
  ); // prettier-ignore
  show(field(true));
  expect(screen.getByText("gain of B").getAttribute("aria-hidden")).toBe("true");
  expect(screen.getByRole("textbox", { name: "gain of B" })).toBeTruthy();
  cleanup();
  show(field(false));
  expect(screen.queryByText("gain of B")).toBe(null);
});

function Ended({ ended }: { ended: boolean }) {
  useEnded(ended);
  return null;
}

test("when it has ended the steps are asked for anew, once, also if it was never seen under way", () => {
  const client = new QueryClient();
  const asked = vi.spyOn(client, "invalidateQueries");
  const drawn = (ended: boolean) => (
    <QueryClientProvider client={client}>
      <Ended ended={ended} />
    </QueryClientProvider>
  );
  const { rerender, unmount } = render(drawn(false));
  expect(asked).not.toHaveBeenCalled();
  rerender(drawn(true));
  rerender(drawn(true));
  expect(asked).toHaveBeenCalledTimes(1);
  expect(asked).toHaveBeenCalledWith({ queryKey: ["steps"] });
  unmount();
  render(drawn(true));
  expect(asked).toHaveBeenCalledTimes(2);
});
