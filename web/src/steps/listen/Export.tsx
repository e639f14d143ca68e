/** Renders as files for other programs. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import { Notice, Press, SheetTitle } from "../../ui/controls";
import { Course } from "../../ui/Course";
import { num } from "../../ui/format";
import { Keep } from "../../ui/Links";
import { Choice, Labelled } from "../../ui/QuantityField";
import type { Listening } from "../../playing/usePlaying";
import type { Sound } from "../../playing/useRenders";
import { addressOf, type As, useExport } from "./useExport";

/** What a file of it is called: song, rig, variant, clip and stretch, as the server names it. */
export const fileWords = (l: Listening, s: Sound) => {
  const r = s.render!;
  const clip = l.clips.find((c) => c.id === r.clip)?.name.replace(/\.[^.]+$/, "") ?? "clip";
  const what = r.bare ? "clips past the rig" : `${l.rig.name} ${r.letter}`;
  const end = r.start_s + r.report!.seconds;
  return `${l.song.title}, ${what}, ${clip}, ${r.start_s.toFixed(1)} to ${end.toFixed(1)} s${r.capture ? ", capture" : ""}`;
};

const FORMS: [string, string][] = [
  ["wav 24", "WAV, 24 bits with dither"],
  ["wav 16", "WAV, 16 bits with dither"],
  ["wav float", "WAV, 32-bit float"],
  ["flac 24", "FLAC, 24 bits with dither"],
  ["flac 16", "FLAC, 16 bits with dither"],
];

/** Saved as a file, as if its link had been pressed. */
function keepFile(address: string): void {
  const link = document.createElement("a");
  link.href = address;
  link.download = "";
  link.click();
}

export function Export({ l, sounds }: { l: Listening; sounds: Sound[] }) {
  const [form, setForm] = useState("wav 24");
  const [stems, setStems] = useState(false);
  const [kind, word] = form.split(" ");
  const as = { form: kind, word, stems } as As;
  return (
    <Box as="section" aria-label="Export">
      <SheetTitle sub about="at its own level; turned down only where it would clip">
        Export
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        <Labelled label="as">
          <Choice value={form} onChange={(event) => setForm(event.target.value)}>
            {FORMS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </Choice>
        </Labelled>
        <label>
          <input
            type="checkbox"
            checked={stems}
            onChange={(event) => setStems(event.target.checked)}
          />{" "}
          its paths side by side
        </label>
      </Box>
      <Box as="ul" display="grid" gap="6px" marginTop="8px">
        {sounds
          .filter((s) => !stems || s.render!.report!.stems.length)
          .map((s) => (
            <Row
              key={`${s.render!.id} ${form} ${stems}`}
              render={s.render!.id}
              words={fileWords(l, s)}
              as={as}
            />
          ))}
      </Box>
      {!sounds.length && <Box color="ink2">Nothing is rendered yet.</Box>}
    </Box>
  );
}

function Row({ render, words, as }: { render: string; words: string; as: As }) {
  const { make, file, problem, making, stop } = useExport(render, keepFile);
  const size = file?.size_bytes ? `${num(file.size_bytes / 1e6, 1)} MB` : "";
  const down = -(file?.down_db ?? 0);
  const told = [size, down > 0.005 && `turned down by ${num(down, 2)} dB`].filter(Boolean);
  return (
    <Box as="li" display="flex" flexWrap="wrap" gap="2px 12px" alignItems="center" minHeight="32px">
      <Box flex="1 1 300px" minWidth="0" overflowWrap="anywhere">
        {words.replace(/ s(?=,|$)/, "\u00a0s")}
      </Box>
      {making && (
        <>
          <Box flex="0 1 220px" minWidth="120px">
            <Course
              share={file?.progress ?? 0}
              stages={["writing"]}
              label={`Writing the file of ${words}`}
            />
          </Box>
          <Press look="quiet" disabled={!file} aria-label={`Stop, ${words}`} onClick={stop}>
            Stop
          </Press>
        </>
      )}
      {!making && file?.status === "done" && (
        <>
          <Box color="ink2">{told.join(", ")}</Box>
          <Keep href={addressOf(file)} aria-label={`Save once more, ${words}`}>
            Save once more
          </Keep>
        </>
      )}
      {!making && file?.status !== "done" && (
        <Press aria-label={`Save as a file, ${words}`} onClick={() => make(as)}>
          {problem || file ? "Try again" : "Save as a file"}
        </Press>
      )}
      {problem && (
        <Box flex="1 0 100%">
          <Notice kind="fault" word="Not written.">
            {problem}
          </Notice>
        </Box>
      )}
    </Box>
  );
}
