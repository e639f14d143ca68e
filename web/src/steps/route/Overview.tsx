/** A long course in small, over the sheet: what of it is in view, and how close it stands. */
import { Box } from "@chakra-ui/react";
import { memo, type PointerEvent } from "react";

import { Press, Unseen } from "../../ui/controls";
import { useDrag, useWidth } from "../../ui/hooks";
import { ink } from "../../ui/theme";
import type { Fitted } from "./fit";

interface Props {
  fitted: Fitted;
  stages: number;
  seen: { left: number; width: number };
  selected: string;
  onLook: (left: number) => void;
  onZoom: (by: "apart" | "together" | "all", from: Fitted["closeness"]) => void;
}

const HEIGHT = 32;
const WORDS: Record<Fitted["closeness"], string> = {
  wide: "",
  close: "stages, close",
  names: "stages, no captions",
  short: "stages, short names",
  folded: "stages, runs folded",
};

export const Overview = memo(function Overview({
  fitted,
  stages,
  seen,
  selected,
  onLook,
  onZoom,
}: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(120);
  const x = (value: number) => (value / fitted.width) * (width - 4) + 2;
  const y = (value: number) => 4 + (value / Math.max(1, fitted.height)) * (HEIGHT - 12);
  const whole = !fitted.windowed;
  const take = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    onLook(((event.clientX - box.left) / width) * fitted.width - seen.width / 2);
  };
  const drag = useDrag({ take });
  const bar = whole
    ? { from: 2, to: width - 2 }
    : { from: x(seen.left), to: x(Math.min(fitted.width, seen.left + (seen.width || width))) };
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="0 10px"
      role="group"
      aria-label="Whole course"
    >
      <Box ref={frame} flex="1 1 120px" minWidth="0">
        <svg
          width={width}
          height={HEIGHT}
          display="block"
          aria-hidden
          style={{ cursor: whole ? "default" : "grab", touchAction: "pan-y" }}
          {...drag}
        >
          {fitted.rails.map(({ rail, points }) => (
            <polyline
              key={rail.port}
              points={points.map((p) => `${x(p[0])},${y(p[1])}`).join(" ")}
              fill="none"
              stroke={ink(rail.wet && !rail.dry ? "wet" : "ink")}
              strokeWidth="1.2"
              strokeDasharray={rail.wet && !rail.dry ? "4 2" : undefined}
            />
          ))}
          {fitted.nodes.map((n) => (
            <circle
              key={n.node.id}
              cx={x(n.x)}
              cy={y(n.y)}
              r={n.node.id === selected ? 4 : 2.2}
              fill={ink(n.node.id === selected ? "wet" : "sheet")}
              stroke={ink(n.node.wet ? "wet" : "ink")}
            />
          ))}
          <line
            x1={bar.from}
            x2={bar.to}
            y1={HEIGHT - 2}
            y2={HEIGHT - 2}
            stroke={ink("ink")}
            strokeWidth="4"
          />
        </svg>
      </Box>
      <Box fontSize="13px" color="ink2" lineHeight="16px">
        {whole ? "" : "part of "}
        <Box as="strong" color="ink">
          {stages}
        </Box>{" "}
        {WORDS[fitted.closeness] || "stages"}
      </Box>
      <Box display="flex">
        <Press
          look="quiet"
          hint="+"
          disabled={fitted.closeness === "wide"}
          onClick={() => onZoom("apart", fitted.closeness)}
        >
          <Unseen>Draw wider apart</Unseen>
        </Press>
        <Press
          look="quiet"
          hint="−"
          disabled={fitted.closeness === "folded"}
          onClick={() => onZoom("together", fitted.closeness)}
        >
          <Unseen>Draw closer together</Unseen>
        </Press>
        <Press look="quiet" hint="0" onClick={() => onZoom("all", fitted.closeness)}>
          <Unseen>Fit the whole course</Unseen>
        </Press>
      </Box>
    </Box>
  );
});
