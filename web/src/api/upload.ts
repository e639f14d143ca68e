/** Send a file in pieces, so that a broken line costs one piece and not the whole. */
import { api, ask, type Clip, csrfToken, OFFLINE, problemOf, Refused } from "./client";

const TRIES = 5;

async function sendPiece(
  id: string,
  offset: number,
  piece: Blob,
  signal: AbortSignal,
): Promise<number> {
  let response: Response;
  try {
    response = await fetch(`/api/v1/uploads/${id}?offset=${offset}`, {
      method: "PUT",
      body: piece,
      signal,
      headers: { "X-CSRFToken": csrfToken(), "Content-Type": "application/octet-stream" },
    });
  } catch (fault) {
    if (signal.aborted) throw fault;
    throw new Refused(OFFLINE);
  }
  const body: unknown = await response.json().catch(() => null);
  if (response.ok) return (body as { received_bytes: number }).received_bytes;
  const problem = problemOf(body, response.status);
  if (problem.status === 409 && typeof problem.received_bytes === "number")
    return problem.received_bytes;
  throw new Refused(problem);
}

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Upload a file into a song; resolves with the clip, which the worker then decodes. */
export async function uploadFile(
  songId: string,
  file: File,
  onShare: (share: number) => void,
  signal: AbortSignal,
): Promise<Clip> {
  const upload = await ask(
    api.POST("/api/v1/songs/{song_id}/uploads", {
      params: { path: { song_id: songId } },
      body: { name: file.name, size_bytes: file.size },
    }),
  );
  let sent = upload.received_bytes;
  let failed = 0;
  while (sent < file.size) {
    try {
      sent = await sendPiece(upload.id, sent, file.slice(sent, sent + upload.chunk_bytes), signal);
      failed = 0;
      onShare(sent / file.size);
    } catch (fault) {
      if (signal.aborted) {
        await ask(
          api.DELETE("/api/v1/uploads/{upload_id}", { params: { path: { upload_id: upload.id } } }),
        ).catch(() => undefined);
        throw fault;
      }
      if (!(fault instanceof Refused && fault.offline) || ++failed >= TRIES) throw fault;
      await wait(800 * failed);
    }
  }
  return ask(
    api.POST("/api/v1/uploads/{upload_id}/finish", { params: { path: { upload_id: upload.id } } }),
  );
}
