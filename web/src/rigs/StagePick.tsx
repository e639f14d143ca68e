/** One stage of a kind of the rig in hand: the first, or the one that was picked among several. */
import { useState } from "react";

import { Choice, Labelled } from "../ui/QuantityField";
import { nameOf } from "./names";
import { type Stage, stagesOf } from "./stages";
import type { RouteHandle } from "./variants";

export function useStage(route: RouteHandle, kind: string) {
  const [picked, setPicked] = useState("");
  const { variant } = route;
  const stages = stagesOf(variant, kind);
  const stage: Stage | undefined = stages.find((n) => n.id === picked) ?? stages[0];
  return {
    stage,
    name: variant && stage ? nameOf(variant, stage.id) : "",
    /** A choice where there are several; nothing where there is one or none. */
    pick: variant && stage && stages.length > 1 && (
      <Labelled label={kind}>
        <Choice width="auto" value={stage.id} onChange={(event) => setPicked(event.target.value)}>
          {stages.map((n) => (
            <option key={n.id} value={n.id}>
              {nameOf(variant, n.id)}
            </option>
          ))}
        </Choice>
      </Labelled>
    ),
  };
}
