/** A server that tests answer for. Before what asks it is imported: its client keeps the `fetch` it finds. */
import { vi } from "vitest";

export const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), {
    status,
    headers: { "Content-Type": "application/json" },
  });

export function serve(answer: (request: Request) => Promise<Response>): void {
  // A page knows where it came from; a request outside one has to be told.
  const Plain = Request;
  vi.stubGlobal(
    "Request",
    class extends Plain {
      constructor(url: string, init?: RequestInit) {
        super(new URL(url, "http://localhost"), init && { ...init, signal: undefined });
      }
    },
  );
  vi.stubGlobal("fetch", answer);
}
