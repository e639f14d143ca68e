/** Nominal level and time along the course, on the same x: a chart where there is height, else figures. */
import { scaleLinear } from "d3-scale";

import type { RigView } from "../../api/client";
import { halo } from "../../charts/axes";
import { num } from "../../ui/format";
import { textWidth } from "../../ui/measure";
import { ink } from "../../ui/theme";
import type { Fitted } from "./fit";
import { headsOf, sourceOf } from "./nav";

const PROFILE = 84;
const ROW = 20;
const TALLEST = 232;

/** A low course leaves room for a chart. */
const isChart = (height: number) => height <= TALLEST;
export const levelHeight = (height: number, measured: boolean) =>
  isChart(height) ? PROFILE + ROW : (measured ? 4 : 3) * ROW + 2;

interface Props {
  fitted: Fitted;
  report: RigView["report"];
  top: number;
}

export function Levels(props: Props) {
  return isChart(props.top) ? <Profile {...props} /> : <Figures {...props} />;
}

interface Run {
  rail: RigView["report"]["rails"][number];
  from: number;
  to: number;
  y: number;
}

function runsOf({ fitted, report }: Props): Run[] {
  const head = headsOf(fitted);
  const xs = new Map(fitted.nodes.map((n) => [n.node.id, n]));
  return report.rails.flatMap((rail) => {
    const drawn = fitted.rails.find((r) => r.rail.port === rail.port);
    const from = xs.get(head(sourceOf(rail.port)));
    const to = drawn && xs.get(head(drawn.rail.target ?? ""));
    return drawn && !drawn.rail.back && from && to
      ? [{ rail, from: from.x, to: to.x, y: from.y }]
      : [];
  });
}

function Profile(props: Props) {
  const { fitted, report, top } = props;
  const runs = runsOf(props);
  const levels = runs
    .flatMap((r) => [r.rail.dry_dbfs, r.rail.wet_dbfs, r.rail.measured_dbfs])
    .filter((v): v is number => v !== null && v > -70);
  const high = levels.length ? Math.ceil((Math.max(...levels) + 1) / 10) * 10 : 0;
  const low = levels.length ? Math.floor((Math.min(...levels) - 1) / 10) * 10 : -40;
  const y = scaleLinear([low, high], [top + PROFILE - 14, top + 10]);
  const ticks = y.ticks(Math.min(3, Math.max(1, (high - low) / 10)));
  const lines = runs.flatMap((r) =>
    [r.rail.dry_dbfs, r.rail.wet_dbfs]
      .filter((v) => v !== null)
      .map((v) => ({ from: r.from, to: r.to, y: y(v) })),
  );
  // A figure that another line would cross is left out: it stands in the inspector's place anyway.
  const crossed = (l: { x: number; y: number; text: string }) =>
    lines.some(
      (line) =>
        line.from < l.x + textWidth(l.text, 13) &&
        line.to > l.x &&
        line.y > l.y - 12 &&
        line.y < l.y + 3,
    );
  const labels = spaced(
    runs
      .filter((r) => r.rail.level_dbfs !== null && r.to - r.from > 52)
      .map((r) => ({
        x: r.from + 6,
        y: y(r.rail.level_dbfs!) - 5,
        text: num(r.rail.level_dbfs!, 1),
      }))
      .filter((l) => !crossed(l)),
  );
  const clip = report.measured_clip;
  return (
    <g>
      <g aria-label="Level along the course, dBFS" role="img">
        <line x1="0" x2={fitted.width} y1={top} y2={top} stroke={ink("rule")} />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1="34" x2={fitted.width} y1={y(tick)} y2={y(tick)} stroke={ink("fine")} />
            <text x="30" y={y(tick) + 4.5} textAnchor="end" fontSize="13" fill={ink("ink2")}>
              {num(tick, 0)}
            </text>
          </g>
        ))}
        {runs.map(({ rail, from, to }) => (
          <g key={rail.port}>
            {rail.dry_dbfs !== null && rail.dry_dbfs > low - 10 && (
              <line
                x1={from}
                x2={to}
                y1={y(rail.dry_dbfs)}
                y2={y(rail.dry_dbfs)}
                stroke={ink("ink")}
                strokeWidth="2"
              />
            )}
            {rail.wet_dbfs !== null && rail.wet_dbfs > low - 10 && (
              <line
                x1={from}
                x2={to}
                y1={y(rail.wet_dbfs)}
                y2={y(rail.wet_dbfs)}
                stroke={ink("wet")}
                strokeWidth="2"
                strokeDasharray="11 4"
              />
            )}
            {rail.measured_dbfs !== null && rail.measured_dbfs > low - 3 && (
              <circle
                cx={(from + to) / 2}
                cy={y(rail.measured_dbfs)}
                r="3.5"
                fill={ink("sheet")}
                stroke={ink("ink")}
                strokeWidth="1.5"
              />
            )}
          </g>
        ))}
        {labels.map((l) => (
          <text
            key={`${l.x} ${l.y}`}
            x={l.x}
            y={l.y}
            fontSize="13"
            fill={ink("ink")}
            {...halo("sheet")}
          >
            {l.text}
          </text>
        ))}
        <text x="38" y={top + PROFILE - 2} fontSize="13" fill={ink("ink2")} {...halo("sheet")}>
          Level along the course, dBFS{clip ? `; rings: measured on “${clip}”` : ""}
        </text>
      </g>
      <FigureRow
        fitted={fitted}
        top={top + PROFILE}
        label="ms"
        values={firstTimes(props)}
        colour="ink"
      />
    </g>
  );
}

/** Labels that keep clear of each other: earlier ones stay. */
function spaced<T extends { x: number; y: number; text: string }>(labels: T[]): T[] {
  const kept: T[] = [];
  for (const one of labels)
    if (
      kept.every(
        (k) =>
          Math.abs(k.y - one.y) > 14 ||
          one.x > k.x + textWidth(k.text, 13) + 6 ||
          k.x > one.x + textWidth(one.text, 13) + 6,
      )
    )
      kept.push(one);
  return kept;
}

interface At {
  x: number;
  y: number;
  text: string;
}

function firstTimes(props: Props): At[] {
  return runsOf(props).flatMap((r) =>
    r.rail.dry_ms === null ? [] : [{ x: r.from, y: r.y, text: num(r.rail.dry_ms, 2) }],
  );
}

function Figures(props: Props) {
  const { fitted, top } = props;
  const runs = runsOf(props);
  const of = (pick: (rail: Run["rail"]) => number | null): At[] =>
    runs.flatMap((r) => {
      const value = pick(r.rail);
      return value === null || value < -100 ? [] : [{ x: r.from, y: r.y, text: num(value, 1) }];
    });
  return (
    <g role="img" aria-label="Level and time behind the stages">
      <FigureRow
        fitted={fitted}
        top={top}
        label="dry dBFS"
        values={of((r) => r.dry_dbfs)}
        colour="ink"
      />
      <FigureRow
        fitted={fitted}
        top={top + ROW}
        label="wet dBFS"
        values={of((r) => r.wet_dbfs)}
        colour="wet"
      />
      {props.report.measured_clip && (
        <FigureRow
          fitted={fitted}
          top={top + 3 * ROW}
          label={`measured on “${props.report.measured_clip}”`}
          values={of((r) => r.measured_dbfs)}
          colour="ink"
        />
      )}
      <FigureRow
        fitted={fitted}
        top={top + 2 * ROW}
        label="ms"
        values={firstTimes(props)}
        colour="ink"
      />
    </g>
  );
}

function FigureRow({
  fitted,
  top,
  label,
  values,
  colour,
}: {
  fitted: Fitted;
  top: number;
  label: string;
  values: At[];
  colour: "ink" | "wet";
}) {
  const room = textWidth(label, 13) + 10;
  const shown: { from: number; to: number; x: number; text: string }[] = [];
  // Of two behind each other the one on the upper lane is written.
  for (const one of [...values].sort((a, b) => a.y - b.y || a.x - b.x)) {
    const half = textWidth(one.text, 13) / 2;
    const x = Math.max(one.x, room + half);
    const [from, to] = [x - half - 4, x + half + 4];
    if (to > fitted.width || x - one.x > 30) continue;
    if (shown.every((s) => to <= s.from || from >= s.to))
      shown.push({ from, to, x, text: one.text });
  }
  return (
    <g>
      <line x1="0" x2={fitted.width} y1={top} y2={top} stroke={ink("rule")} />
      <text
        x="4"
        y={top + 15}
        fontSize="13"
        fontStyle={colour === "wet" ? "italic" : undefined}
        fill={ink(colour === "wet" ? "wet" : "ink2")}
      >
        {label}
      </text>
      {shown.map((s) => (
        <text key={s.x} x={s.x} y={top + 15} textAnchor="middle" fontSize="13" fill={ink(colour)}>
          {s.text}
        </text>
      ))}
    </g>
  );
}
