/** The compressor of Blend and one of the rig: loaded from it, written to it. */
import { useState } from "react";

import type { RouteHandle } from "../../rigs/variants";
import { SendTo } from "../../rigs/SendTo";
import { Press } from "../../ui/controls";
import { Choice, Labelled } from "../../ui/QuantityField";
import { fromStage, toStage } from "./stage";
import type { ParallelHandle } from "./useParallel";

export function ToStage({ p, route }: { p: ParallelHandle; route: RouteHandle }) {
  const [chosen, setChosen] = useState("");
  const stages = Object.values(route.variant?.document.nodes ?? {}).filter(
    (n) => n.kind === "compressor",
  );
  const stage = stages.find((n) => n.id === chosen) ?? stages[0];
  if (!stage) return null;
  const name = stage.name || "Compressor";
  return (
    <>
      {stages.length > 1 && (
        <Labelled label="compressor">
          <Choice value={stage.id} onChange={(event) => setChosen(event.target.value)}>
            {stages.map((n) => (
              <option key={n.id} value={n.id}>
                {n.name || n.id}
              </option>
            ))}
          </Choice>
        </Labelled>
      )}
      <Press onClick={() => p.change(fromStage(stage))}>
        Load {name} of {route.named}
      </Press>
      <SendTo
        route={route}
        actions={[{ do: "set", node: stage.id, values: toStage(p.s, p.view?.makeup_db) }]}
        label={`Write it to ${name} of ${route.named}`}
        said={`${name} is set to it.`}
      />
    </>
  );
}
