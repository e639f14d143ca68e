/** What can be one side of a null: sounds, their paths, and what they were before the last change. */
import { pathsIn } from "./search";
import type { Sound } from "./useRenders";

export interface Side {
  render: string;
  path: string;
  before: boolean;
}

export interface SideChoice {
  key: string;
  words: string;
  side: Side;
}

/** Of several paths with one name their order tells them apart. */
function numbered(path: { name: string }, all: { name: string }[]): string {
  const same = all.filter((p) => p.name === path.name);
  return same.length > 1 ? `${path.name} ${same.indexOf(path) + 1}` : path.name;
}

/** Every side there is, by sounds; what is not measured yet is none. */
export function sidesOf(sounds: Sound[]): SideChoice[] {
  return sounds
    .filter((s) => s.render?.status === "done" && s.render.report)
    .flatMap((s): SideChoice[] => {
      const render = s.render!.id;
      const name = s.id === "bare" ? "the clips, past the rig" : `${s.letter}, the whole`;
      const whole = { key: s.id, words: name, side: { render, path: "", before: false } };
      const known = pathsIn(s.render!.report!.stems);
      const paths = known.map((p) => ({
        key: `${s.id} ${p.id}`,
        words: `${s.letter}, ${numbered(p, known)} alone`,
        side: { render, path: p.id, before: false },
      }));
      const was = {
        key: `${s.id} before`,
        words: `${s.letter} before its last change`,
        side: { render, path: "", before: true },
      };
      // Clips stay as they are, and so does what was recorded.
      return s.id === "bare" || s.id.endsWith(" capture") ? [whole] : [whole, ...paths, was];
    });
}
