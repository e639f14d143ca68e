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
}

interface Props<T> {
  of: SliderOf<T>[];
  values: T;
  onChange: (more: Partial<T>) => void;
  /** Drawn hatched from here on, by field. */
  alarms?: Partial<Record<keyof T, number>>;
}

export function Sliders<T>({ of, values, onChange, alarms }: Props<T>) {
  return (
    <Box
      display="grid"
      gridTemplateColumns="repeat(auto-fit, minmax(136px, 1fr))"
      gap="4px 30px"
      marginTop="6px"
    >
      {of.map(({ field, ...scale }) => (
        <ScaleSlider
          key={field}
          {...scale}
          alarmFrom={alarms?.[field]}
          value={values[field] as number}
          onChange={(value) => onChange({ [field]: value } as Partial<T>)}
        />
      ))}
    </Box>
  );
}
