/** What arrives at an output, how it adds up, its loops, and what would let it arrive together. */
import { Box } from "@chakra-ui/react";

import type { RigAction, RigView, Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { Gloss } from "../../ui/Gloss";
import { Choice } from "../../ui/QuantityField";
import { Arrivals, Sum } from "./Arrivals";
import { Loops } from "./Curves";
import { PathMarks } from "./PathMarks";

type Report = RigView["report"];

/** The board that is looked at; the last one where there are fewer by now. */
export const boardOf = (report: Report, at: number) =>
  report.boards[Math.min(at, report.boards.length - 1)];

interface Props {
  variant: Variant;
  /** The variant before what is moved began to move. */
  was: Variant | null;
  at: number;
  cautions: Set<string>;
  /** Nothing is being laid. */
  free: boolean;
  lit: string;
  pinned: string;
  onAt: (board: number) => void;
  onLight: (id: string) => void;
  onPin: (id: string) => void;
  onEdit: (action: RigAction) => void;
}

export function BoardPane(props: Props) {
  const { variant, was, at, cautions, free, lit, pinned, onAt, onLight, onPin, onEdit } = props;
  const { report } = variant.view;
  const board = boardOf(report, at);
  const before = was?.view.report.boards.find(
    (b) => b.output === board?.output && b.source === board.source,
  );
  const kept = board?.arrivals.find((a) => a.id === pinned);
  return (
    <Box minWidth="0">
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 12px" marginBottom="2px">
        <SheetTitle
          about={
            board && `at ${nameOf(variant, board.output)}, against ${board.reference.toLowerCase()}`
          }
        >
          <Gloss word="arrivals">Arrivals</Gloss>
        </SheetTitle>
        {report.boards.length > 1 && (
          <Choice
            aria-label="Source and output"
            width="auto"
            value={Math.min(at, report.boards.length - 1)}
            onChange={(event) => onAt(Number(event.target.value))}
          >
            {report.boards.map((b, i) => (
              <option key={`${b.output}${b.source}`} value={i}>
                {nameOf(variant, b.source)} at {nameOf(variant, b.output)}
              </option>
            ))}
          </Choice>
        )}
      </Box>
      {board ? (
        <>
          <Arrivals {...{ board, before, cautions, pinned, onLight, onPin }} lit={lit || pinned} />
          {kept && <PathMarks variant={variant} board={board} arrival={kept} onEdit={onEdit} />}
          {!board.complete && board.path_count !== null && board.path_count > 64 && (
            <Box fontSize="13px" color="ink2">
              {num(board.path_count, 0)} paths in all; the strongest 64 are listed, the sums hold
              them all.
            </Box>
          )}
          <Sum board={board} before={before} hz={report.hz} />
          <Loops variant={variant} />
        </>
      ) : (
        <Box color="ink2">Nothing reaches an output yet.</Box>
      )}
      {report.align.length > 0 && free && (
        <Box fontSize="13px" marginTop="4px">
          To arrive together:{" "}
          {report.align
            .map((a) => `add ${num(a.add_ms, 2)} ms to ${nameOf(variant, a.rail.split(".")[0]!)}`)
            .join(", ")}
          .{" "}
          <Press look="quiet" onClick={() => onEdit(alignAction(variant))}>
            Add them
          </Press>
        </Box>
      )}
    </Box>
  );
}

function alignAction(variant: Variant): RigAction {
  return {
    do: "several",
    actions: variant.view.report.align.map((a) => ({
      do: "set_strip",
      rail: a.rail,
      values: { delay_ms: (variant.document.rails?.[a.rail]?.strip?.delay_ms ?? 0) + a.add_ms },
    })),
  } as RigAction;
}
