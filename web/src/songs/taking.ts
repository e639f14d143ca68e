/** Send a song's file and say how far it is; what comes back is what was taken, or why nothing was. */
import { csrfToken, OFFLINE, type Problem, problemOf, Refused, type Schemas } from "../api/client";

export type Taken = Schemas["TakenOut"];
export type Clash = "ask" | "second" | "skip";

export interface Way {
  open: () => XMLHttpRequest;
}
const PLAIN: Way = { open: () => new XMLHttpRequest() };

/** progress: 0 to 1 while it is sent; 1 while the server reads it. Rejects with Refused, or AbortError. */
export function sendFile(
  file: Blob,
  clash: Clash,
  progress: (share: number) => void,
  signal: AbortSignal,
  way: Way = PLAIN,
): Promise<Taken> {
  return new Promise((resolve, reject) => {
    const request = way.open();
    const stop = () => request.abort();
    const end = () => signal.removeEventListener("abort", stop);
    request.open("POST", `/api/v1/songs/file?clash=${clash}`);
    request.setRequestHeader("Content-Type", "application/zip");
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.upload.onprogress = (event) => {
      if (event.lengthComputable && event.total > 0) progress(event.loaded / event.total);
    };
    request.upload.onload = () => progress(1);
    request.onload = () => {
      end();
      const body = read(request.responseText);
      if (request.status >= 200 && request.status < 300) resolve(body as Taken);
      else reject(new Refused(problemOf(body, request.status) satisfies Problem));
    };
    request.onerror = () => {
      end();
      reject(new Refused(OFFLINE));
    };
    request.onabort = () => {
      end();
      reject(new DOMException("Stopped", "AbortError"));
    };
    signal.addEventListener("abort", stop);
    if (signal.aborted) stop();
    request.send(file);
  });
}

function read(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** "2 songs are taken: Low Water, Tide." */
export function takenWords(taken: Taken): string {
  const names = taken.songs.map((s) => s.title);
  if (!names.length) return "Nothing was taken.";
  const shown =
    names.slice(0, 3).join(", ") + (names.length > 3 ? ` and ${names.length - 3} more` : "");
  return names.length === 1 ? `“${shown}” is taken.` : `${names.length} songs are taken: ${shown}.`;
}
