/** Under what is heard: its spectrum, and the sheets: by ear, moves, captures, export, log. */
import { Box } from "@chakra-ui/react";

import { SheetTabs } from "../../ui/SheetTabs";
import { Export } from "./Export";
import { Captures, Log } from "./Parts";
import { SpectrumPart } from "./SpectrumPart";
import { Trial } from "./Trial";
import type { Listening } from "../../playing/usePlaying";

export type Sheet = "trial" | "capture" | "export" | "log";

const SHEETS: [Sheet, string][] = [
  ["trial", "By ear alone"],
  ["capture", "Captures"],
  ["export", "Export"],
  ["log", "Log"],
];

interface Props {
  l: Listening;
  sheet: Sheet;
  setSheet: (sheet: Sheet) => void;
}

export function Beneath({ l, sheet, setSheet }: Props) {
  const {
    song,
    clips,

    renders,

    done,
    inTrial,
    setInTrial,
    region_s,
    player,
    rig,
  } = l;
  const { stop } = player;
  return (
    <>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="14px 28px"
        marginTop="12px"
      >
        <SpectrumPart l={l} />
        <Box minWidth="0">
          {!inTrial && <SheetTabs sheets={SHEETS} chosen={sheet} onChoose={setSheet} />}
          {(sheet === "trial" || inTrial) && (
            <Trial
              songId={song.id}
              pairs={done.map((s) => ({ id: s.render!.id, name: `${s.letter} ${s.name}` }))}
              stretch={{
                from: 0,
                length: Number.isFinite(region_s) && region_s > 0 ? region_s : 10,
              }}
              engine={player.engine}
              onRunning={(running) => {
                stop();
                setInTrial(running);
              }}
            />
          )}
          {!inTrial && sheet === "capture" && (
            <Captures
              rig={rig}
              clips={clips}
              busy={renders.open}
              onUse={(id, capture) => renders.start.mutate({ ids: [id], capture })}
            />
          )}
          {!inTrial && sheet === "export" && <Export l={l} sounds={done} />}
          {!inTrial && sheet === "log" && <Log songId={song.id} />}
        </Box>
      </Box>
    </>
  );
}
