/** Pictures of a note on their way: made small enough here, sent one by one, and kept until they are. */
import { csrfToken, OFFLINE, problemOf, Refused, type Schemas } from "../../api/client";

export type Picture = Schemas["PictureOut"];

export const MOST = 4;
const LONGEST = 2048;
/** What is smaller than this, and no larger in dots, goes as it is. */
const AS_IT_IS_BYTES = 3 << 20;

/** One that stands beside what is being written. */
export interface Waiting {
  key: string;
  name: string;
  url: string;
  content: Blob;
  /** Once it is with the server. */
  sent: string | null;
}

/** A picture's size with its longest side at most so long. */
export function fitted(width: number, height: number, longest = LONGEST): [number, number] {
  const share = Math.min(1, longest / Math.max(width, height));
  return [Math.max(1, Math.round(width * share)), Math.max(1, Math.round(height * share))];
}

/** Those of the files that are pictures and still find room, and a sentence about the rest. */
export function chosen<F extends { name: string; type: string }>(
  held: number,
  files: F[],
): { taken: F[]; said: string } {
  const pictures = files.filter((file) => file.type.startsWith("image/") || file.type === "");
  const other = files.find((file) => !pictures.includes(file));
  const taken = pictures.slice(0, Math.max(0, MOST - held));
  const said = [
    other && `“${other.name}” is no picture.`,
    taken.length < pictures.length &&
      `A note has up to ${MOST} pictures; ${pictures.length - taken.length} did not fit.`,
  ];
  return { taken, said: said.filter(Boolean).join(" ") };
}

/** The picture, made smaller where it is large. One that the browser cannot open goes as it is: the server says why not. */
export async function smaller(file: Blob): Promise<Blob> {
  let seen: ImageBitmap;
  try {
    seen = await createImageBitmap(file, { imageOrientation: "from-image" });
  } catch {
    return file;
  }
  const [width, height] = fitted(seen.width, seen.height);
  const known = ["image/jpeg", "image/png", "image/webp"].includes(file.type);
  if (known && width === seen.width && file.size <= AS_IT_IS_BYTES) return file;
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [width, height];
  const pen = canvas.getContext("2d");
  if (!pen) return file;
  pen.fillStyle = "#fff";
  pen.fillRect(0, 0, width, height);
  pen.drawImage(seen, 0, 0, width, height);
  seen.close();
  const made = await new Promise<Blob | null>((done) =>
    canvas.toBlob(done, file.type === "image/png" ? "image/png" : "image/jpeg", 0.88),
  );
  return made ?? file;
}

/** Send it; resolves with its number. Throws Refused. */
export async function send(songId: string, picture: Blob): Promise<string> {
  let response: Response;
  try {
    response = await fetch(`/api/v1/songs/${songId}/pictures`, {
      method: "POST",
      body: picture,
      headers: { "X-CSRFToken": csrfToken(), "Content-Type": "application/octet-stream" },
    });
  } catch {
    throw new Refused(OFFLINE);
  }
  const body: unknown = await response.json().catch(() => null);
  if (!response.ok) throw new Refused(problemOf(body, response.status));
  return (body as Picture).id;
}

/** "Picture 2 of 3: The pedals as they stood". */
export function saidOf(number: number, of: number, title: string): string {
  return of === 1 ? `Picture: ${title}` : `Picture ${number} of ${of}: ${title}`;
}
