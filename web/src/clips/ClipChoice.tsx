/** The choice of one of the song's clips. */
import type { Clip } from "../api/client";
import { Choice, Labelled } from "../ui/QuantityField";

interface Props {
  label: string;
  clips: Clip[];
  value: string;
  onChoose: (id: string) => void;
}

export function ClipChoice({ label, clips, value, onChoose }: Props) {
  return (
    <Labelled label={label}>
      <Choice value={value} maxWidth="240px" onChange={(event) => onChoose(event.target.value)}>
        <option value="">choose a clip …</option>
        {clips.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </Choice>
    </Labelled>
  );
}
