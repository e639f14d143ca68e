/** The foot of the course: what is under way, else the first thing that a check has to say. */
import { Box } from "@chakra-ui/react";

import type { Kind, RigAction, RigView, Variant } from "../../api/client";
import { Hint, Pennant, Press } from "../../ui/controls";
import { Actions, keyOf } from "./Checks";
import { capital, wordsOf } from "./settings";
import type { Laying } from "./useLaying";
import type { Moving } from "./useMoving";

interface Props {
  variant: Variant;
  kinds: Kind[];
  checks: RigView["checks"];
  /** Whether the checks are listed anyway. */
  listed: boolean;
  onListen: () => void;
  playing: boolean;
  onPlay: () => void;
  selected: string;
  moving: Moving;
  laying: Laying;
  keeping: string;
  onKeeping: (key: string) => void;
  onEdit: (action: RigAction) => void;
  onChecks: () => void;
  onPut: () => void;
}

const KIND = { alarm: "fault", caution: "caution", note: "note" } as const;
const WORD = { alarm: "Alarm.", caution: "Caution.", note: "Note." } as const;

export function ActionBar(props: Props) {
  const { laying } = props;
  return (
    <Box
      role="region"
      aria-label="Next"
      position="sticky"
      bottom="0"
      zIndex="2"
      background="paper"
      borderTop="1.5px solid"
      borderColor="ink"
      paddingBlock="6px"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="4px 12px"
      minHeight="44px"
    >
      {laying.wanted ? <LayBar {...props} /> : <RestBar {...props} />}
    </Box>
  );
}

function LayBar({ laying, kinds, onPut }: Props) {
  const { wanted, chosen, letters, rows } = laying;
  if (!wanted) return null;
  const letter = chosen ? letters[rows.indexOf(chosen)] : "";
  const on = kinds.find((k) => k.kind === wanted.kind);
  const last = letters.filter(Boolean).at(-1) ?? "a";
  return (
    <>
      <Press look="primary" hint="Enter" disabled={!chosen} onClick={laying.lay}>
        {wanted.by === "end" ? "Lead it to" : "Lay the rail to"} {letter || "it"}
      </Press>
      <Press hint="Esc" onClick={laying.leave}>
        Leave it
      </Press>
      {wanted.by === "split" && (
        <Box>
          <Box as="span" color="ink2">
            on it{" "}
          </Box>
          <Press hint="+" onClick={onPut}>
            {on ? on.title : "nothing, a plain rail"}
          </Press>
        </Box>
      )}
      <Box flex="1" />
      <Box
        display={{ base: "none", md: "flex" }}
        gap="6px"
        color="ink2"
        fontSize="13px"
        alignItems="center"
      >
        <Hint>a</Hint> to <Hint>{last}</Hint> choose,
        {wanted.starts.length === 1 && wanted.by !== "end" && (
          <>
            <Hint>←</Hint>
            <Hint>→</Hint> where it leaves,
          </>
        )}
        <Hint>↓</Hint> next place
      </Box>
    </>
  );
}

function RestBar({
  listed,
  onListen,
  playing,
  onPlay,
  variant,
  kinds,
  checks,
  selected,
  moving,
  keeping,
  onKeeping,
  onEdit,
  onChecks,
}: Props) {
  const open = checks.findings.filter((f) => !f.intended);
  const first = open[0];
  const node = variant.document.nodes?.[selected] as { kind: string } | undefined;
  const kind = kinds.find((k) => k.kind === (node?.kind ?? "strip"));
  const moved = Object.keys(moving.before);
  const one = moved.length === 1 ? kind?.parameters.find((p) => p.field === moved[0]) : undefined;
  return (
    <>
      {moved.length > 0 && (
        <>
          <Press look="primary" onClick={moving.settle}>
            Keep {one ? wordsOf(one, moving.values[one.field]) : `${moved.length} changes`}
          </Press>
          <Press onClick={() => moving.back()}>
            {one
              ? `${capital(one.label)} back to ${wordsOf(one, moving.before[one.field])}`
              : "All of them back"}
          </Press>
        </>
      )}
      {first && !listed ? (
        <>
          <Pennant kind={KIND[first.severity]} mark={first.at ? "1" : ""} />
          <Box flex="1 1 260px" minWidth="0" lineHeight="18px">
            <Box
              as="strong"
              color={
                first.severity === "alarm"
                  ? "diff"
                  : first.severity === "caution"
                    ? "caution"
                    : "ink"
              }
            >
              {WORD[first.severity]}
            </Box>{" "}
            {first.sentence}
          </Box>
          <Actions
            finding={first}
            primary
            keeping={keeping === `bar ${keyOf(first)}` ? keyOf(first) : ""}
            onKeeping={(key) => onKeeping(key && `bar ${key}`)}
            onEdit={onEdit}
          />
        </>
      ) : (
        <>
          {open.length === 0 && <Pennant kind="passed" />}
          <Box flex="1" color={open.length ? "ink2" : "ok"}>
            {open.length === 0 && `${checks.passed.length} checks passed.`}
          </Box>
        </>
      )}
      {!listed && (
        <Press look="quiet" onClick={onChecks}>
          All checks {open.length}
        </Press>
      )}
      <Press look="quiet" hint="Space" onClick={onPlay}>
        {playing ? "Stop" : "Play it"}
      </Press>
      <Press look="quiet" onClick={onListen}>
        Hear it under Listen
      </Press>
    </>
  );
}
