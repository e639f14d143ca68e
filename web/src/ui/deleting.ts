/** What is deleted can be brought back: said at once, and offered. */
import { sentenceOf } from "../api/client";
import { announce } from "./controls";

/** Deletes something, says so, and offers to bring it back. */
export async function deleteWithUndo(
  said: string,
  remove: () => Promise<unknown>,
  restore: () => Promise<unknown>,
  refresh: () => Promise<unknown>,
): Promise<void> {
  try {
    await remove();
    announce(said, {
      action: { word: "Undo", run: () => void restore().then(refresh) },
    });
    await refresh();
  } catch (fault) {
    announce(sentenceOf(fault), { kind: "fault" });
  }
}
