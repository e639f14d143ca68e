/** The course in one ink: stages with their numbers, cables with theirs; dashed and italic is wet. */
import { Box } from "@chakra-ui/react";

import { halo } from "../charts/axes";
import { type Course, type Placed, type Sheet } from "./sheet";

const BARS = new Set(["level", "send", "return", "fader", "volume"]);
const INK = "black";

export function Drawing({
  sheet,
  course,
  decks,
}: {
  sheet: Sheet;
  course: Course;
  decks: number[];
}) {
  return (
    <Box
      role="img"
      aria-label={`Course with ${sheet.rows.length} numbered stages and ${sheet.patch.cables.length} numbered cables`}
    >
      {decks.map((from) => (
        <svg
          key={from}
          width={course.deckWidth}
          height={course.deckHeight}
          viewBox={`${from} 0 ${course.deckWidth} ${course.deckHeight}`}
          display="block"
        >
          <Parts course={course} />
        </svg>
      ))}
    </Box>
  );
}

function Parts({ course }: { course: Course }) {
  return (
    <g fontFamily="inherit">
      {course.lines.map((line) => {
        const points = line.points.map((p) => `${p.x},${p.y}`).join(" ");
        const both = line.dry && line.wet;
        return (
          <g key={line.port} fill="none" stroke={INK}>
            {(line.dry || !line.wet) && (
              <polyline
                points={points}
                strokeWidth={both ? 1.4 : 2}
                transform={both ? "translate(0, -2)" : undefined}
              />
            )}
            {line.wet && (
              <polyline
                points={points}
                strokeWidth={both ? 1.4 : 2}
                strokeDasharray="8 4"
                transform={both ? "translate(0, 2)" : undefined}
              />
            )}
          </g>
        );
      })}
      {course.squares.map((s) => (
        <g key={s.number} transform={`translate(${s.x}, ${s.y})`}>
          <rect x="-9" y="-8" width="18" height="16" fill="white" stroke={INK} strokeWidth="1.2" />
          <text textAnchor="middle" y="4" fontSize="11.5" fill={INK}>
            {s.number}
          </text>
        </g>
      ))}
      {course.nodes.map((node) => (
        <Mark key={node.id} node={node} />
      ))}
    </g>
  );
}

function Mark({ node }: { node: Placed }) {
  const bar = BARS.has(node.kind);
  return (
    <g transform={`translate(${node.x}, ${node.y})`} fill={INK} stroke="none">
      {node.name && (
        <text
          y={-15}
          textAnchor={node.kind === "source" ? "start" : node.kind === "output" ? "end" : "middle"}
          x={node.kind === "source" ? -4 : node.kind === "output" ? 6 : 0}
          fontSize="11.5"
          fontWeight="650"
          fontStyle={node.wet && !bar ? "italic" : undefined}
          {...halo("sheet")}
          style={{ stroke: "white" }}
        >
          {node.name}
        </text>
      )}
      <Shape node={node} bar={bar} />
    </g>
  );
}

function Shape({ node, bar }: { node: Placed; bar: boolean }) {
  const number = node.number === undefined ? null : `${node.number}`;
  if (node.kind === "source") return <line y1="-9" y2="9" stroke={INK} strokeWidth="4.5" />;
  if (node.kind === "output")
    return (
      <g stroke={INK} strokeWidth="1.75">
        <line x1="-1" x2="-1" y1="-13" y2="13" />
        <line x1="4" x2="4" y1="-13" y2="13" />
      </g>
    );
  if (["split", "merge", "bus", "passive_mixer"].includes(node.kind))
    return (
      <g>
        <path d={node.kind === "split" ? "M-5 -9L8 0L-5 9Z" : "M-7 -9L6 0L-7 9Z"} />
        {number && <Beside number={number} />}
      </g>
    );
  if (bar)
    return (
      <g>
        <rect x="-6" y="-9" width="12" height="18" fill="white" />
        <g stroke={INK} strokeWidth="2" strokeDasharray={node.off ? "2 2" : undefined}>
          <line y1="-9" y2="9" />
          <line x1="-5" x2="5" y1="-9" y2="-9" />
          <line x1="-5" x2="5" y1="9" y2="9" />
        </g>
        {number && <Beside number={number} />}
      </g>
    );
  return (
    <g>
      <circle
        r="10.5"
        fill="white"
        stroke={INK}
        strokeWidth="1.8"
        strokeDasharray={node.off ? "3 2.5" : undefined}
      />
      <text textAnchor="middle" y="4.200" fontSize="12" fontWeight="650" fill={INK}>
        {number ?? "·"}
      </text>
    </g>
  );
}

function Beside({ number }: { number: string }) {
  return (
    <text
      x="8"
      y="15"
      fontSize="12"
      fontWeight="650"
      fill={INK}
      style={{ stroke: "white", strokeWidth: 3, paintOrder: "stroke" }}
    >
      {number}
    </text>
  );
}
