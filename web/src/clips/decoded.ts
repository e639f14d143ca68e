/** Wait until a clip that was just brought in has been read. */
import { api, ask } from "../api/client";
import { BUSY_MS, isBusy } from "./queries";

const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));
const ofServer = (id: string) =>
  ask(api.GET("/api/v1/clips/{clip_id}", { params: { path: { clip_id: id } } }));

/**
 * Asks until the clip is ready, or has failed: what is done with it then says why. Gives up after
 * `most_ms`; whoever uses it is told that it is still being read.
 */
export async function decoded(
  id: string,
  look: (id: string) => Promise<{ status: string }> = ofServer,
  most_ms = 120_000,
): Promise<string> {
  const end = Date.now() + most_ms;
  for (;;) {
    const { status } = await look(id);
    if (!isBusy(status) || Date.now() >= end) return status;
    await pause(BUSY_MS);
  }
}
