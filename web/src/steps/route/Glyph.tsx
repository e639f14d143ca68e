/** The few marks of the chart; each always stands beside a name. */
import { ink } from "../../ui/theme";

const BARS = new Set(["level", "send", "return", "fader", "volume"]);

export function Glyph({
  kind,
  off,
  wet,
  lit,
}: {
  kind: string;
  off: boolean;
  wet: boolean;
  lit: boolean;
}) {
  const colour = ink(off ? "edge" : wet && !BARS.has(kind) ? "wet" : "ink");
  if (kind === "source") {
    return <line y1="-10" y2="10" stroke={ink("ink")} strokeWidth="4.5" />;
  }
  if (kind === "output") {
    return (
      <g>
        <line x1="-1" x2="-1" y1="-13" y2="13" stroke={ink("ink")} strokeWidth="1.75" />
        <line x1="4" x2="4" y1="-13" y2="13" stroke={ink("ink")} strokeWidth="1.75" />
      </g>
    );
  }
  if (["split", "merge", "bus", "passive_mixer"].includes(kind)) {
    return <path d={kind === "split" ? "M-5 -9L8 0L-5 9Z" : "M-7 -9L6 0L-7 9Z"} fill={colour} />;
  }
  if (BARS.has(kind)) {
    return (
      <g stroke={ink(off ? "edge" : "ink")} strokeWidth="2">
        <line y1="-9" y2="9" />
        <line x1="-5" x2="5" y1="-9" y2="-9" />
        <line x1="-5" x2="5" y1="9" y2="9" />
      </g>
    );
  }
  if (kind === "frame") {
    // A line between two posts, with three short tracks beside it.
    return (
      <g stroke={colour} strokeWidth="1.75">
        <rect x="-16" y="-10" width="32" height="20" fill={ink("sheet")} stroke="none" />
        <line x1="-16" x2="-16" y1="-9" y2="9" />
        <line x1="16" x2="16" y1="-9" y2="9" />
        <line x1="-11" x2="-3" y1="-6" y2="-6" strokeWidth="2.5" />
        <line x1="-1" x2="9" y1="0" y2="0" strokeWidth="2.5" />
        <line x1="-8" x2="2" y1="6" y2="6" strokeWidth="2.5" />
      </g>
    );
  }
  return (
    <g>
      <circle
        r="8"
        fill={ink(lit ? "well" : "sheet")}
        stroke={colour}
        strokeWidth="2"
        strokeDasharray={off ? "3 3" : undefined}
      />
      <circle r="2.4" fill={colour} />
    </g>
  );
}

export function PennantMark({ kind, mark }: { kind: "caution" | "note" | "fault"; mark: string }) {
  const fill = { caution: "cautionFill", note: "sheet", fault: "diff" } as const;
  const text = { caution: "pen", note: "ink", fault: "paper" } as const;
  return (
    <g aria-hidden>
      <path d="M0 0h20l-4 7 4 7H0z" fill={ink(fill[kind])} stroke={ink("ink")} strokeWidth="1.2" />
      <path d="M0 -1v25" stroke={ink("ink")} strokeWidth="1.5" />
      <text
        x="8"
        y="11.5"
        textAnchor="middle"
        fontSize="12"
        fontWeight="650"
        fill={ink(text[kind])}
      >
        {mark}
      </text>
    </g>
  );
}
