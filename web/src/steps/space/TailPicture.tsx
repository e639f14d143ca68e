/** The clip's phrases with the tail that falls into each gap; the values that make the tail. */
import { Box } from "@chakra-ui/react";

import { sentenceOf } from "../../api/client";
import { keptSpace, limits } from "../../api/defaults.gen";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { TailChart } from "../../charts/TailChart";
import { NoClip } from "../../clips/NoClip";
import { announce, Notice, Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { QuantityField } from "../../ui/QuantityField";
import type { SpaceHandle } from "./useSpace";

const [SHORTEST, LONGEST] = limits.KeptSpace.rt60_s;

export function TailPicture({ s }: { s: SpaceHandle }) {
  const { space, change, frame, data, duck } = s;
  if (!s.clip) return <NoClip>The gaps are those between the phrases of a clip.</NoClip>;
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" gap="4px 18px" alignItems="start">
        <Box width="104px">
          <QuantityField
            label="RT60"
            kind="time"
            frame={frame}
            value={`${space.rt60_s} s`}
            onCommit={(read) => {
              const rt60_s = read.value / 1000;
              if (rt60_s > LONGEST || rt60_s < SHORTEST)
                announce(
                  `${num(rt60_s, 2)} s is no decay that can be computed: ${SHORTEST} to ${LONGEST} s can. ${num(space.rt60_s!, 2)} s is kept.`,
                  { kind: "fault" },
                );
              else change({ rt60_s });
            }}
          />
        </Box>
        <Box width="124px">
          <QuantityField
            label="Pre-delay"
            kind="time"
            frame={frame}
            value={space.pre_delay!}
            onCommit={(read) =>
              change({ pre_delay: read.note_value ?? `${Number(read.value.toPrecision(6))} ms` })
            }
          />
        </Box>
        <Box width="170px">
          <ScaleSlider
            label="down at an entry"
            value={space.drop_db!}
            low={6}
            high={60}
            step={1}
            ticks={[6, 20, 40, 60]}
            least={limits.KeptSpace.drop_db[0]}
            most={limits.KeptSpace.drop_db[1]}
            rest={keptSpace.drop_db}
            shown={(v) => `${num(v, 0)} dB`}
            onChange={(drop_db) => change({ drop_db })}
          />
        </Box>
        <Box width="170px">
          <ScaleSlider
            label="tail begins at"
            value={space.start_db!}
            low={-40}
            high={6}
            step={1}
            ticks={[-40, -20, 0]}
            least={limits.KeptSpace.start_db[0]}
            most={limits.KeptSpace.start_db[1]}
            rest={keptSpace.start_db}
            shown={(v) => `${signed(v, 0)} dB`}
            onChange={(start_db) => change({ start_db })}
          />
        </Box>
        {data && (
          <Box fontSize="13px" color="ink2" lineHeight="20px" role="status" aria-label="The tail">
            falls {num(data.space.falls_db_per_s, 1)} dB/s
            <br />
            {num(space.drop_db!, 0)} dB down after {num(data.space.drop_after_ms, 0)} ms
            <br />
            whole: {num(data.space.whole_ms, 0)} ms,{" "}
            {num(data.space.whole_ms / data.space.bar_ms, 2)} bars
          </Box>
        )}
      </Box>
      {s.fault && (
        <Notice
          kind="fault"
          word="Not computed."
          actions={
            <Press onClick={() => change({ pre_delay: keptSpace.pre_delay, phrases: null })}>
              Find the phrases again, {keptSpace.pre_delay}
            </Press>
          }
        >
          {sentenceOf(s.fault)}
        </Notice>
      )}
      {data && (
        <TailChart
          data={data}
          drop={space.drop_db!}
          start={space.start_db!}
          ducking={duck.on ? duck.data : null}
          chosen={s.gap}
          onChoose={s.setGap}
          onPhrases={(phrases) => change({ phrases })}
        />
      )}
      {data?.space.notes.map((note) => (
        <Notice key={note} kind="note">
          {note}
        </Notice>
      ))}
    </Box>
  );
}
