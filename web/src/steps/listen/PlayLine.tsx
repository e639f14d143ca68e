/** The upright line where it plays, drawn anew by itself. */
import type { ScaleLinear } from "d3-scale";

import { usePlayhead } from "../../playing/playhead";
import type { Listening } from "../../playing/usePlaying";
import { ink } from "../../ui/theme";

interface Props {
  l: Listening;
  x: ScaleLinear<number, number>;
  y1: number;
  y2: number;
}

export function PlayLine({ l, x, y1, y2 }: Props) {
  const { position } = usePlayhead(l.player.head);
  if (!l.player.playing) return null;
  const at = x(position);
  return <line x1={at} x2={at} y1={y1} y2={y2} stroke={ink("ink")} strokeWidth="1.25" />;
}
