/** What a path counts as, and whether its delay is wanted: set on the path, kept on its stages. */
import { Box } from "@chakra-ui/react";

import type { Board, RigAction, Variant } from "../../api/client";
import { Choice, Labelled } from "../../ui/QuantityField";
import { nameOf } from "../../rigs/names";

interface Props {
  variant: Variant;
  board: Board;
  arrival: Board["arrivals"][number];
  onEdit: (action: RigAction) => void;
}

type Marks = { counts_as?: string; delay_is?: string };

export function PathMarks({ variant, board, arrival, onEdit }: Props) {
  const nodes = (variant.document.nodes ?? {}) as Record<string, Marks>;
  const on = arrival.through.map((id) => nodes[id]).filter((node) => node !== undefined);
  const role = on.map((n) => n.counts_as ?? "auto").find((r) => r !== "auto") ?? "auto";
  const delay = on.map((n) => n.delay_is ?? "auto").find((d) => d !== "auto") ?? "auto";
  const way = [board.source, ...arrival.through.filter((id) => id in nodes), board.output].map(
    (id) => nameOf(variant, id),
  );
  const mark = (values: Marks) =>
    onEdit({
      do: "path",
      source: board.source,
      output: board.output,
      through: arrival.through,
      ...values,
    } as RigAction);
  return (
    <Box
      as="section"
      aria-label="Path"
      padding="6px 8px"
      background="well"
      display="flex"
      flexWrap="wrap"
      gap="6px 14px"
      alignItems="end"
    >
      <Box width="100%" fontSize="13px">
        <strong>{arrival.name}</strong>: {way.join(" → ")}
      </Box>
      <Labelled label="The path counts as">
        <Choice value={role} onChange={(event) => mark({ counts_as: event.target.value })}>
          <option value="auto">what its stages make it</option>
          <option value="dry">dry</option>
          <option value="wet">wet</option>
        </Choice>
      </Labelled>
      <Labelled label="Its delay is">
        <Choice value={delay} onChange={(event) => mark({ delay_is: event.target.value })}>
          <option value="auto">what its stages make it</option>
          <option value="latency">latency: to be aligned</option>
          <option value="intended">intended: left alone</option>
        </Choice>
      </Labelled>
    </Box>
  );
}
