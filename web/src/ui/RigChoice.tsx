/** Which variant of which rig: the same one wherever a step sends something to. */
import { Choice, Labelled } from "./QuantityField";
import type { VariantChoice } from "./variants";

export function RigChoice({ route, label = "rig" }: { route: VariantChoice; label?: string }) {
  if (!route.choices.length) return null;
  return (
    <Labelled label={label}>
      <Choice
        value={route.id}
        maxWidth="150px"
        onChange={(event) => route.choose(event.target.value)}
      >
        {route.choices.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </Choice>
    </Labelled>
  );
}
