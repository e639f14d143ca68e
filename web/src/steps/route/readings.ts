/** What is said of all arrivals together: words, figures and whether they are good news. */
import type { Board } from "../../api/client";
import { dB, num, signed } from "../../ui/format";

export interface Reading {
  label: string;
  value: string;
  unit: string;
  about: string;
  colour?: "ok" | "diff" | "caution";
}

type Sums = NonNullable<Board["sums"]>;

const NEAR = "what arrives within 10 ms of each other";

export function readingsOf(sums: Sums): Reading[] {
  const found: Reading[] = [
    {
      label: "In step",
      value: sums.headroom_db === null ? "cancels" : signed(sums.headroom_db, 1),
      unit: sums.headroom_db === null ? "" : "dB",
      about: `sizes of ${NEAR}, added`,
      colour: sums.headroom_db === null ? "diff" : undefined,
    },
    {
      label: "Within 10 ms",
      value: sums.near_level_db === null ? "silence" : signed(sums.near_level_db, 1),
      unit: sums.near_level_db === null ? "" : "dB",
      about: `${NEAR}, as it is heard on the source's spectrum`,
      colour: sums.near_level_db === null ? "diff" : undefined,
    },
    { ...allOf(sums), label: "All of it", about: "everything, tails and repeats too, as heard" },
  ];
  const comb = combOf(sums);
  if (comb) found.push(comb);
  if (sums.mono_db !== null)
    found.push({
      label: "Mono",
      value: `${sums.mono_db > -3 ? "holds, " : "loses, "}${dB(sums.mono_db)}`,
      unit: "dB",
      about: "both sides added up, against stereo",
      colour: sums.mono_db > -3 ? "ok" : "diff",
    });
  return found;
}

function allOf(sums: Sums): Pick<Reading, "value" | "unit" | "colour"> {
  if (sums.grows) return { value: "no limit", unit: "", colour: "diff" };
  if (sums.level_db === null) return { value: "silence", unit: "", colour: "diff" };
  return { value: signed(sums.level_db, 1), unit: "dB" };
}

/** The first notch, what cancels, or the good news that there is neither. */
function combOf(sums: Sums): Reading | null {
  if (sums.cancels)
    return {
      label: "Cancels",
      value: sums.cancels,
      unit: "",
      about: "equal, at one time, one of them inverted",
      colour: "diff",
    };
  const notch = sums.notches[0];
  if (!notch)
    return { label: "", value: "no comb", unit: "", about: "nothing arrives twice", colour: "ok" };
  return {
    label: "First notch",
    value: `${num(notch.hz, notch.hz < 1000 ? 1 : 0)} Hz, ${
      notch.depth_db === null ? "complete" : num(notch.depth_db, 1)
    }`,
    unit: notch.depth_db === null ? "" : "dB",
    about: sums.comb,
    colour: "diff",
  };
}

type Arrival = Board["arrivals"][number];

/** What an arrival was before: the same way, or one of its name and kind that is no way any more (a stage was put in).
 * One that still arrives was never another: of two returns of one name each keeps its own.
 */
export function wasOf(
  arrival: Arrival,
  now: readonly Arrival[],
  before: readonly Arrival[],
): Arrival | undefined {
  const stays = new Set(now.map((a) => a.id));
  return (
    before.find((a) => a.id === arrival.id) ??
    before.find((a) => a.name === arrival.name && a.detail === arrival.detail && !stays.has(a.id))
  );
}

/** How far an arrival's level may go, where it depends on level: for the row and its title. */
export function rangeOf(arrival: Arrival): string {
  if (arrival.quiet_db === null || arrival.loud_db === null) return "";
  if (Math.abs(arrival.quiet_db - arrival.loud_db) < 0.1) return "";
  return `changes with level: ${num(arrival.quiet_db, 1)} dB when quiet, ${num(arrival.loud_db, 1)} dB when loud`;
}
