/** The reverb of Space and one of the rig: loaded from it, written to it. */
import { useState } from "react";

import { SendTo } from "../../rigs/SendTo";
import { Press } from "../../ui/controls";
import { msShort, num } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { reverbFrom, reverbTo, stagesOf } from "./stage";
import type { SpaceHandle } from "./useSpace";

export function ToStage({ s }: { s: SpaceHandle }) {
  const [chosen, setChosen] = useState("");
  const { route, space, data } = s;
  const stages = stagesOf(route.variant, "reverb");
  const stage = stages.find((n) => n.id === chosen) ?? stages[0];
  if (!route.id) return null;
  if (!stage)
    return <span>{route.variant ? `${route.named} has no reverb.` : "Reading the rig …"}</span>;
  const name = stage.name || "the reverb";
  return (
    <>
      {stages.length > 1 && (
        <Labelled label="reverb">
          <Choice value={stage.id} onChange={(event) => setChosen(event.target.value)}>
            {stages.map((n) => (
              <option key={n.id} value={n.id}>
                {n.name || n.id}
              </option>
            ))}
          </Choice>
        </Labelled>
      )}
      <SendTo
        look="primary"
        route={route}
        disabled={!data}
        actions={
          data
            ? [{ do: "set", node: stage.id, values: reverbTo(space, data.space.octave_rt60_s) }]
            : []
        }
        label={`Set ${name} of ${route.named} to ${num(space.rt60_s!, 2)} s and ${data ? msShort(data.space.pre_delay_ms) : ""} ms`}
        said={`${name === "the reverb" ? "The reverb" : name} is set to it.`}
      />
      <Press onClick={() => s.change(reverbFrom(stage))}>
        Load {name} of {route.named}
      </Press>
    </>
  );
}
