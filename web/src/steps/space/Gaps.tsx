/** Every gap: what the tail leaves in it, and the longest decay that clears it, by itself and in the rig. */
import { Box } from "@chakra-ui/react";

import { sentenceOf } from "../../api/client";
import { Answer } from "../../ui/Answer";
import { Figure, Press, Unseen } from "../../ui/controls";
import { msShort, num, signed } from "../../ui/format";
import { Table, Td, Th } from "../../ui/table";
import type { SpaceHandle } from "./useSpace";

export function Gaps({ s }: { s: SpaceHandle }) {
  const { data, behind, worst, duck, route } = s;
  if (!data) return <Box color="ink2">With a clip in hand its gaps stand here.</Box>;
  const { gaps, sentence } = data.space;
  const longest = (value: number, where: string) => (
    <Press look="quiet" minHeight="22px" disabled={value < 0.05} onClick={() => s.take(value)}>
      <Unseen>Take </Unseen>
      {num(Math.floor(value * 100) / 100, 2)}
      <Unseen> s {where}</Unseen>
    </Press>
  );
  return (
    <Box>
      <Answer fault={false}>{sentence}</Answer>
      {worst && (
        <Box display="flex" flexWrap="wrap" gap="6px 12px" alignItems="center" marginBlock="4px">
          <Box as="strong" color="caution">
            Into phrase {worst.i + 2} the tail is {num(-worst.tail_db, 1)} dB down;{" "}
            {num(worst.ducking_db, 1)} dB more is asked.
          </Box>
          <Press
            hint="F"
            onClick={() => s.take(worst.longest_rt60_s)}
            disabled={worst.longest_rt60_s < 0.05}
          >
            Shorten to {num(Math.floor(worst.longest_rt60_s * 100) / 100, 2)} s
          </Press>
          <Press
            onClick={() => {
              duck.setOn(true);
              duck.change({ way: "key", depth_db: Math.ceil(worst.ducking_db * 10) / 10 });
            }}
          >
            Duck {num(worst.ducking_db, 1)} dB under the phrases
          </Press>
        </Box>
      )}
      <Box maxHeight={{ base: "none", sm: "300px" }} overflow="auto">
        <Table>
          <thead>
            <tr>
              <Th textAlign="left">gap</Th>
              <Th>s</Th>
              <Th>tail at entry, dB</Th>
              <Th>ducking asked, dB</Th>
              <Th>longest RT60 alone, s</Th>
              {behind && (
                <>
                  <Th>through {behind.name}: tail, dB</Th>
                  <Th>longest RT60, s</Th>
                </>
              )}
            </tr>
          </thead>
          <tbody>
            {gaps.map((g, i) => {
              const rig = behind?.gaps[i];
              return (
                <Box
                  as="tr"
                  key={g.start_s}
                  background={!g.clear ? "cautionWash" : s.gap === i ? "well" : undefined}
                  onClick={() => s.setGap(i)}
                >
                  <Td textAlign="left" fontWeight="650" whiteSpace="nowrap">
                    {i + 1} to {i + 2}
                  </Td>
                  <Td>{num(g.length_s, 2)}</Td>
                  <Td color={g.clear ? undefined : "caution"} fontWeight={g.clear ? 400 : 650}>
                    <Figure
                      label={`Tail at the entry of phrase ${i + 2}`}
                      value={signed(g.tail_db, 1)}
                      strong={!g.clear}
                    />
                  </Td>
                  <Td>{g.ducking_db > 0.05 ? num(g.ducking_db, 1) : "none"}</Td>
                  <Td>{longest(g.longest_rt60_s, `from gap ${i + 1}`)}</Td>
                  {rig && (
                    <>
                      <Td color={rig.clear ? undefined : "caution"}>{signed(rig.tail_db, 1)}</Td>
                      <Td>
                        {rig.longest_rt60_s === null
                          ? "none"
                          : longest(rig.longest_rt60_s, `through the return, gap ${i + 1}`)}
                      </Td>
                    </>
                  )}
                </Box>
              );
            })}
          </tbody>
        </Table>
      </Box>
      {!gaps.length && <Box color="ink2">No gap: the phrases follow each other without one.</Box>}
      <Box fontSize="13px" color="ink2" marginTop="4px">
        <strong>Alone</strong>: the tail by itself, as loud at its beginning as “tail begins at”
        says.{" "}
        {behind ? (
          <>
            <strong>Through {behind.name}</strong>: the reverb of {route.named} at{" "}
            {num(behind.rt60_s, 2)} s and {msShort(behind.pre_delay_ms)} ms, with its send, its
            return and all that stands on them; it begins {signed(behind.start_db, 1)} dB against
            dry. Take this one for that rig, the other before there is a rig. {behind.sentence}
          </>
        ) : (
          s.behindFault && `${sentenceOf(s.behindFault)} So the tail alone is what there is.`
        )}
      </Box>
    </Box>
  );
}
