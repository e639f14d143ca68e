/** Orders of sidings that were kept: what each would do to the outputs, one press from being in force. */
import { Box } from "@chakra-ui/react";
import { useQueries } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type RigAction, type Schemas, type Variant } from "../../api/client";
import { Press, SheetTitle } from "../../ui/controls";
import { signed } from "../../ui/format";
import { TextInput } from "../../ui/QuantityField";
import { ink } from "../../ui/theme";
import { differing, type Frame } from "./sidings";

interface Props {
  variant: Variant;
  frame: Frame;
  names: (place: number) => string;
  onEdit: (action: RigAction) => void;
}

const MINI = 116;

export function LinesKept({ variant, frame, names, onEdit }: Props) {
  const [name, setName] = useState("");
  const lines = frame.lines ?? [];
  const calls = frame.calls ?? [];
  const arrange = (more: object): RigAction =>
    ({ do: "arrange", frame: frame.id, values: {}, clear: false, ...more }) as RigAction;
  const tried = useQueries({
    queries: lines.map((line) => ({
      queryKey: ["line", variant.id, variant.revision, frame.id, line.name, line.calls],
      queryFn: () =>
        ask(
          api.POST("/api/v1/variants/{variant_id}/try", {
            params: { path: { variant_id: variant.id } },
            body: { action: arrange({ take: line.name }) },
          }),
        ),
    })),
  });
  const keep = () => {
    const said = name.trim() || `Line ${lines.length + 1}`;
    onEdit(arrange({ keep: said }));
    setName("");
  };
  return (
    <Box as="section" aria-label="Lines kept">
      <SheetTitle sub about="what differs from the one in force is marked">
        Lines kept
      </SheetTitle>
      <Box as="ul" borderTop="1px solid" borderColor="rule" marginTop="3px">
        {lines.map((line, i) => {
          const other = differing(line.calls ?? [], calls);
          const now = other.length === 0;
          return (
            <Box
              as="li"
              key={line.name}
              display="grid"
              gridTemplateColumns={{
                base: "minmax(0, 1fr) auto",
                sm: `${MINI}px minmax(0, 1fr) auto auto`,
              }}
              gap="2px 12px"
              alignItems="center"
              minHeight="40px"
              paddingInline="6px"
              borderBottom="1px solid"
              borderColor="rule"
              background={now ? "well" : undefined}
            >
              <Box display={{ base: "none", sm: "block" }}>
                <Mini calls={line.calls ?? []} places={frame.places ?? 8} marked={other} />
              </Box>
              <Box minWidth="0" lineHeight="16px">
                <Box fontWeight="650">{line.name}</Box>
                <Box fontSize="13px" color={now ? "ink2" : "diff"}>
                  {now
                    ? "in force"
                    : other
                        .slice(0, 2)
                        .map((p) =>
                          (line.calls ?? []).includes(p)
                            ? `${names(p)} calls ${(line.calls ?? []).indexOf(p) + 1}`
                            : `passes ${names(p)}`,
                        )
                        .join(", ")}
                </Box>
              </Box>
              <Box fontSize="13px" textAlign="right">
                {now ? "" : changed(tried[i]?.data, variant)}
              </Box>
              <Box display="flex">
                <Press
                  look="quiet"
                  fontSize="13px"
                  disabled={now}
                  named={line.name}
                  onClick={() => onEdit(arrange({ take: line.name }))}
                >
                  Put in force
                </Press>
                <Press
                  look="quiet"
                  fontSize="13px"
                  named={line.name}
                  onClick={() => onEdit(arrange({ drop: line.name }))}
                >
                  Forget
                </Press>
              </Box>
            </Box>
          );
        })}
      </Box>
      <Box display="flex" gap="8px" marginTop="6px" alignItems="center">
        <TextInput
          aria-label="Name of the line"
          placeholder={`Line ${lines.length + 1}`}
          width="180px"
          maxLength={40}
          value={name}
          onChange={(event) => setName(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && keep()}
        />
        <Press onClick={keep}>Keep this line</Press>
      </Box>
    </Box>
  );
}

/** The largest change at an output, in words. */
function changed(trial: Schemas["Trial"] | undefined, variant: Variant): string {
  if (!trial) return "";
  const before = new Map(variant.view.report.outputs.map((o) => [o.output, o.nominal_dbfs]));
  const said = trial.report.outputs.flatMap((o) => {
    const was = before.get(o.output);
    if (o.nominal_dbfs === null || was === null || was === undefined) return [];
    return [{ by: o.nominal_dbfs - was, name: nameAt(trial, o.output) }];
  });
  const most = said.sort((a, b) => Math.abs(b.by) - Math.abs(a.by))[0];
  if (!most) return "";
  return Math.abs(most.by) < 0.05 ? "level stays" : `${most.name} ${signed(most.by, 1)} dB`;
}

const nameAt = (trial: Schemas["Trial"], id: string) =>
  trial.layout.nodes.find((n) => n.id === id)?.shown ?? id;

function Mini({ calls, places, marked }: { calls: number[]; places: number; marked: number[] }) {
  const x = (i: number) => 10 + ((i + 1) / (calls.length + 1)) * (MINI - 24);
  const y = (place: number) => 4 + ((place - 1) / Math.max(1, places - 1)) * 28;
  const points = [[4, 18], ...calls.map((p, i) => [x(i), y(p)]), [MINI - 8, 18]];
  return (
    <svg width={MINI} height="36" display="block" aria-hidden>
      <polyline
        points={points.map((p) => p.join(",")).join(" ")}
        fill="none"
        stroke={ink(marked.length ? "diff" : "ink")}
        strokeWidth="1.5"
      />
      {calls.map((p, i) => (
        <circle
          key={p}
          cx={x(i)}
          cy={y(p)}
          r="2.6"
          fill={ink("sheet")}
          stroke={ink(marked.includes(p) ? "diff" : "ink")}
          strokeWidth="1.5"
        />
      ))}
      <line x1={MINI - 6} x2={MINI - 6} y1="11" y2="25" stroke={ink("ink")} strokeWidth="1.5" />
      <line x1={MINI - 3} x2={MINI - 3} y1="11" y2="25" stroke={ink("ink")} strokeWidth="1.5" />
    </svg>
  );
}
