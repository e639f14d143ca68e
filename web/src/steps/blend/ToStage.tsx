/** The compressor of Blend and one of the rig: loaded from it, written to it. */
import type { RouteHandle } from "../../rigs/variants";
import { SendTo } from "../../rigs/SendTo";
import { useStage } from "../../rigs/StagePick";
import { Press } from "../../ui/controls";
import { fromStage, toStage } from "./stage";
import type { ParallelHandle } from "./useParallel";

export function ToStage({ p, route }: { p: ParallelHandle; route: RouteHandle }) {
  const { stage, name, pick } = useStage(route, "compressor");
  if (!stage) return null;
  return (
    <>
      {pick}
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
