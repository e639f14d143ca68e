/** Ways that fulfil the wishes: what moves, what that buys, and one press that takes it. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import {
  api,
  ask,
  type RigAction,
  type Schemas,
  sentenceOf,
  type Variant,
} from "../../../api/client";
import { TradeChart } from "../../../charts/TradeChart";
import { usePlay } from "../../../playing/usePlaying";
import { announce, Notice, Pennant, Press } from "../../../ui/controls";
import { num } from "../../../ui/format";
import { Table, Td, Th } from "../../../ui/table";
import { useSongContext } from "../../../song/context";
import { AtWork } from "../../../wishes/AtWork";
import { useSearch } from "../../../wishes/useSearch";
import {
  gained,
  type Proposal,
  type Proposals,
  standing,
  tradeBetween,
  within,
} from "../../../wishes/wishes";

interface Props {
  out: Proposals;
  /** It is still looked for, or rendered. */
  looking: boolean;
  variant: Variant;
  over: string | null;
  free: Schemas["FreeAsked"][] | null;
  onEdit: (action: RigAction) => void;
  onOpen: (variant: string) => void;
}

export function ProposalList({ out, looking, variant, over, free, onEdit, onOpen }: Props) {
  const between = tradeBetween(out);
  return (
    <Box marginTop="8px">
      <Box role="status" fontWeight={out.contradiction.length ? 650 : 400}>
        {out.contradiction.length > 0 && (
          <Notice kind="caution" word="Not all at once.">
            {out.sentence}
          </Notice>
        )}
        {out.contradiction.length === 0 && out.sentence}
        {!out.whole && " It was stopped before its end: this is the best so far."}
      </Box>
      <Box
        as="ol"
        display="grid"
        gridTemplateColumns="repeat(auto-fit, minmax(min(320px, 100%), 1fr))"
        gap="14px 28px"
        marginTop="8px"
      >
        {out.proposals.map((one, n) => (
          <Way
            key={n}
            number={n + 1}
            one={one}
            before={out.before}
            looking={looking}
            variant={variant}
            onEdit={onEdit}
            onOpen={onOpen}
          />
        ))}
      </Box>
      {between && !looking && (
        <Bargain between={between} variant={variant} over={over} free={free} onEdit={onEdit} />
      )}
    </Box>
  );
}

function Way({
  number,
  one,
  before,
  looking,
  variant,
  onEdit,
  onOpen,
}: {
  number: number;
  one: Proposal;
  before: Proposals["before"];
  looking: boolean;
  variant: Variant;
  onEdit: (action: RigAction) => void;
  onOpen: (variant: string) => void;
}) {
  const client = useQueryClient();
  const { beside } = usePlay();
  const { song } = useSongContext();
  const navigate = useNavigate();
  const [kind, said] = standing(one, looking);
  const apart = useMutation({
    mutationFn: async (heard: boolean) => {
      const made = await ask(
        api.POST("/api/v1/rigs/{rig_id}/variants", {
          params: { path: { rig_id: variant.rig } },
          body: { copy_of: variant.id, name: one.name.slice(0, 80) },
        }),
      );
      await ask(
        api.POST("/api/v1/variants/{variant_id}/edits", {
          params: { path: { variant_id: made.id } },
          body: {
            id: crypto.randomUUID(),
            base_revision: made.revision,
            action: one.action as RigAction,
          },
        }),
      );
      return { made, heard };
    },
    onSuccess: async ({ made, heard }) => {
      await client.invalidateQueries({ queryKey: ["rigs"] });
      onOpen(made.id);
      const [a, b] = [variant.letter, made.letter];
      announce(
        heard
          ? `Variant ${b} has it. It is rendered and played; ${a} beside it stays as it is.`
          : `Variant ${b} has it; the one before stays as it is. Listen to both.`,
        { kind: "passed" },
      );
      if (!heard) return;
      beside(made.id, variant.id);
      void navigate(`/songs/${song.id}/listen`);
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return (
    <Box as="li" borderTop="2px solid" borderColor="ink" paddingTop="6px" minWidth="0">
      <Box display="flex" flexWrap="wrap" gap="4px 12px" alignItems="baseline">
        <Box as="strong" fontSize="16px">
          {number}. {one.name}
        </Box>
        <Box color="ink2">
          {num(one.steps, 1)} steps of change; {one.held} of {one.wishes.length} hold in the plan
        </Box>
      </Box>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">What moves</Th>
            <Th>from</Th>
            <Th>to</Th>
          </tr>
        </thead>
        <tbody>
          {one.moves.map((move) => (
            <tr key={move.key}>
              <Td textAlign="left" whiteSpace="normal">
                {move.label}
                <Box color="ink2" fontSize="13px">
                  {move.bought.length
                    ? `for ${move.bought.map(within).join("; ")}`
                    : "comes nearer"}
                </Box>
              </Td>
              <Td whiteSpace="nowrap">{move.before}</Td>
              <Td whiteSpace="nowrap" fontWeight="650">
                {move.after}
              </Td>
            </tr>
          ))}
        </tbody>
      </Table>
      <Box as="ul" fontSize="13px" color="ink2" marginBlock="6px">
        {gained(before, one.wishes).map((line, n) => (
          <li key={n}>
            {line.title}: {line.said}
          </li>
        ))}
      </Box>
      <Box display="flex" gap="8px" alignItems="flex-start" marginBottom="8px">
        <Pennant kind={kind} small />
        <Box color={kind === "caution" ? "caution" : "ink"}>{said}</Box>
      </Box>
      <Box display="flex" flexWrap="wrap" gap="6px 10px">
        <Press
          look={number === 1 ? "primary" : "plain"}
          named={`: ${one.name}`}
          onClick={() => onEdit(one.action as RigAction)}
        >
          Take it
        </Press>
        <Press
          disabled={apart.isPending}
          named={`: ${one.name}`}
          onClick={() => apart.mutate(false)}
        >
          As a variant beside it
        </Press>
        <Press
          disabled={apart.isPending}
          named={`: ${one.name}`}
          onClick={() => apart.mutate(true)}
        >
          Hear both
        </Press>
      </Box>
    </Box>
  );
}

function Bargain({
  between,
  variant,
  over,
  free,
  onEdit,
}: {
  between: [number, number];
  variant: Variant;
  over: string | null;
  free: Schemas["FreeAsked"][] | null;
  onEdit: (action: RigAction) => void;
}) {
  const [chosen, setChosen] = useState<number | null>(null);
  const about = JSON.stringify([variant.id, variant.revision, over, free, between]);
  const { begin, search, problem, looking, stop } = useSearch(about);
  const trade = search?.trade;
  const draw = () =>
    void begin(about, () =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/trade", {
          params: { path: { variant_id: variant.id } },
          body: { clip: over, free, one: between[0], other: between[1] },
        }),
      ),
    );
  if (!trade)
    return (
      <Box marginTop="12px">
        <Press disabled={looking} onClick={draw}>
          Draw what the one costs the other
        </Press>
        {looking && <AtWork search={search} onStop={stop} />}
        {problem && (
          <Notice kind="fault" word="Not drawn.">
            {problem}
          </Notice>
        )}
      </Box>
    );
  const { points } = trade;
  const at = chosen === null ? null : points[chosen]!;
  return (
    <Box as="section" aria-label="What the one costs the other" marginTop="14px" maxWidth="760px">
      <Box fontWeight="650">{trade.sentence}</Box>
      <TradeChart trade={trade} chosen={chosen} onChoose={setChosen} />
      {points.length > 0 && (
        <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="center" marginTop="6px">
          <label style={{ flex: "1 1 220px" }}>
            <Box as="span" color="ink2" fontSize="13px">
              A point of the curve
            </Box>
            <input
              type="range"
              min={0}
              max={points.length - 1}
              value={chosen ?? 0}
              style={{ width: "100%" }}
              aria-valuetext={`${trade.one} ${num(points[chosen ?? 0]!.figure, 1)} ${trade.one_unit}, ${trade.other} ${num(points[chosen ?? 0]!.other, 1)} ${trade.other_unit}`}
              onChange={(event) => setChosen(Number(event.target.value))}
            />
          </label>
          {at && (
            <Box>
              {num(at.figure, 1)} {trade.one_unit} against {num(at.other, 1)} {trade.other_unit}
            </Box>
          )}
          <Press disabled={!at} onClick={() => at && onEdit(at.action as RigAction)}>
            Take this point
          </Press>
        </Box>
      )}
    </Box>
  );
}
