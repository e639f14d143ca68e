/** The reverb of Space and one of the rig: loaded from it, written to it. */
import { SendTo } from "../../rigs/SendTo";
import { useStage } from "../../rigs/StagePick";
import { Press } from "../../ui/controls";
import { msShort, num } from "../../ui/format";
import { reverbFrom, reverbTo } from "./stage";
import type { SpaceHandle } from "./useSpace";

export function ToStage({ s }: { s: SpaceHandle }) {
  const { route, space, data } = s;
  const { stage, name, pick } = useStage(route, "reverb");
  if (!route.id) return null;
  if (!stage)
    return <span>{route.variant ? `${route.named} has no reverb.` : "Reading the rig …"}</span>;
  return (
    <>
      {pick}
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
        said={`${name} is set to it.`}
      />
      <Press onClick={() => s.change(reverbFrom(stage))}>
        Load {name} of {route.named}
      </Press>
    </>
  );
}
