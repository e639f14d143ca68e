/** Progress as a course with posts at its stages and a finish line. */
import { Box } from "@chakra-ui/react";

import { ink } from "./theme";
import { useWidth } from "./hooks";

export function Course({
  share,
  stages,
  label,
}: {
  share: number;
  stages: string[];
  label: string;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(220);
  const end = width - 8;
  const at = Math.max(0, Math.min(1, share)) * end;
  const now = Math.min(stages.length - 1, Math.floor(share * stages.length));
  return (
    <Box
      ref={frame}
      role="progressbar"
      aria-label={label}
      aria-valuenow={Math.round(share * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
    >
      <svg width={width} height={stages.length > 1 ? 44 : 24} display="block" aria-hidden>
        <line x1="0" x2={end} y1="12" y2="12" stroke={ink("ink")} />
        {Array.from({ length: 20 }, (_, i) => (
          <line
            key={i}
            x1={(i / 20) * end}
            x2={(i / 20) * end}
            y1="12"
            y2={i % 5 ? 16 : 20}
            stroke={ink("ink")}
          />
        ))}
        <line x1="0" x2={at} y1="9" y2="9" stroke={ink("ink")} strokeWidth="6" />
        <line x1={at} x2={at} y1="2" y2="20" stroke={ink("ink")} strokeWidth="4" />
        <line x1={end} x2={end} y1="2" y2="20" stroke={ink("ink")} strokeWidth="1.75" />
        <line x1={end + 5} x2={end + 5} y1="2" y2="20" stroke={ink("ink")} strokeWidth="1.75" />
        {stages.length > 1 &&
          stages.map((stage, i) => (
            <text
              key={stage}
              x={(i / stages.length) * end}
              y="38"
              fontSize="13"
              fontWeight={i === now ? 650 : 400}
              fill={ink(i <= now ? "ink" : "ink2")}
            >
              {stage}
            </text>
          ))}
      </svg>
    </Box>
  );
}
