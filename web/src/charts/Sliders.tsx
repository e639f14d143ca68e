/** Several values of one thing, each on its own scale, side by side. */
import { Box } from "@chakra-ui/react";

import { ScaleSlider } from "./ScaleSlider";

export interface SliderOf<T> {
  field: keyof T & string;
  label: string;
  low: number;
  high: number;
  step: number;
  ticks: number[];
  shown: (value: number) => string;
  least?: number;
  most?: number;
}

interface Props<T> {
  of: SliderOf<T>[];
  values: T;
  onChange: (more: Partial<T>) => void;
  /** Drawn hatched from here on, by field. */
  alarms?: Partial<Record<keyof T, number>>;
  /** What a double click restores, by field. */
  rests?: Partial<T>;
  /** As far as each can be typed, by field; as far as its scale where nothing is said. */
  limits?: Partial<Record<string, readonly [number, number]>>;
}

export function Sliders<T>({ of, values, onChange, alarms, rests, limits }: Props<T>) {
  // A name keeps its line, and its value stands beside it.
  const least = Math.max(130, ...of.map(({ label }) => Math.round(label.length * 6.6) + 68));
  return (
    <Box
      display="grid"
      gridTemplateColumns={`repeat(auto-fit, minmax(min(100%, ${least}px), 1fr))`}
      gap="4px 24px"
      marginTop="6px"
    >
      {of.map(({ field, ...scale }) => (
        <ScaleSlider
          key={field}
          least={limits?.[field]?.[0]}
          most={limits?.[field]?.[1]}
          {...scale}
          alarmFrom={alarms?.[field]}
          rest={rests?.[field] as number | undefined}
          value={values[field] as number}
          onChange={(value) => onChange({ [field]: value } as Partial<T>)}
        />
      ))}
    </Box>
  );
}
