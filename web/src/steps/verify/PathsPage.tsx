/** Two paths of one sound: what delay and polarity make them loudest together. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { Pictured } from "../../charts/Pictured";
import { ClipChoice } from "../../clips/ClipChoice";
import { NoClip } from "../../clips/NoClip";
import { useReadyClips } from "../../clips/queries";
import { useKinds } from "../../rigs/kinds";
import { timeFields } from "../../rigs/times";
import { useRoute } from "../../rigs/variants";
import { useSongContext } from "../../song/context";
import { copyText, HowComputed, Notice, Press, SheetTitle, Waiting } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { Choice } from "../../ui/QuantityField";
import { pathsText } from "./paths";
import { Ways } from "./Ways";

/** Less than this is a matter of where a sample falls. */
const LEAST_MS = 0.02;

type TwoPaths = Schemas["TwoPaths"];

export default function PathsPage() {
  const { song } = useSongContext();
  const clips = useReadyClips(song.id);
  const [pickedA, setA] = useState<string | null>(null);
  const [pickedB, setB] = useState<string | null>(null);
  const a = pickedA ?? clips[0]?.id ?? "";
  const b = pickedB ?? clips.find((c) => c.id !== a)?.id ?? "";
  const found = useQuery({
    queryKey: ["two-paths", song.id, a, b],
    queryFn: () =>
      ask(
        api.GET("/api/v1/songs/{song_id}/two-paths", {
          params: { path: { song_id: song.id }, query: { a, b, most_ms: 30 } },
        }),
      ),
    enabled: a !== "" && b !== "",
    staleTime: Infinity,
    retry: false,
  });
  return (
    <Box>
      <Ways here="paths" />
      <SheetTitle
        page
        about="two microphones, a direct line and an amp, two amps: one sound that arrives twice"
      >
        Two paths
      </SheetTitle>
      {clips.length < 2 && (
        <NoClip>
          Two clips of one sound are needed: two microphones, a direct line and an amp.
        </NoClip>
      )}
      <Box display="flex" flexWrap="wrap" gap="8px 20px" marginBlock="8px 12px">
        <ClipChoice label="A, which stays" clips={clips} value={a} onChoose={setA} />
        <ClipChoice label="B, which is moved" clips={clips} value={b} onChoose={setB} />
      </Box>
      {found.isError && (
        <Notice kind="fault" word="Not compared.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {found.isFetching && <Waiting />}
      {found.data && !found.isFetching && <Found found={found.data} />}
    </Box>
  );
}

function Found({ found }: { found: TwoPaths }) {
  const copy = () => void copyText(pathsText(found));
  useKey("paths", "C", copy, found.related);
  const figures: [string, string][] = [
    ["B is late by", found.late_ms === null ? "not known" : `${signed(found.late_ms, 3)} ms`],
    ["or", found.late_samples === null ? "" : `${signed(found.late_samples, 2)} samples`],
    ["Polarity", found.polarity < 0 ? "turned over" : "same"],
    ["Lost now", `${num(found.mono_loss_db, 1)} dB`],
    ["B against A", `${signed(found.b_against_a_db, 1)} dB`],
  ];
  return (
    <Box>
      <Box
        as="h2"
        fontFamily="title"
        fontSize={{ base: "20px", sm: "25px" }}
        lineHeight={{ base: "26px", sm: "32px" }}
        fontWeight="600"
      >
        {found.sentence}
      </Box>
      <Box
        role="group"
        aria-label="Figures"
        display="flex"
        flexWrap="wrap"
        gap="4px 24px"
        borderBlock="1px solid"
        borderColor="rule"
        paddingBlock="6px"
        marginTop="6px"
      >
        {figures
          .filter(([, value]) => value)
          .map(([label, value]) => (
            <Box key={label} whiteSpace="nowrap">
              <Box as="span" color="ink2" fontSize="13px">
                {label}{" "}
              </Box>
              <strong>{value}</strong>
            </Box>
          ))}
      </Box>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="14px 32px"
        marginTop="12px"
      >
        {found.pictures.map((picture) => (
          <Box as="section" key={picture.title} minWidth="0">
            <Pictured picture={picture} tall={160} />
          </Box>
        ))}
        <Box as="section" minWidth="0">
          <Bands found={found} />
        </Box>
        <Box as="section" minWidth="0">
          <Send found={found} onCopy={copy} />
        </Box>
      </Box>
      <HowComputed>
        Cross-spectra of blocks of 1.4 s over {num(found.over_s, 1)} s, averaged; the power of the
        sum for every delay follows from them. 0 dB is both added as if they had nothing in common;
        +3 dB is the most that two equal ones can reach over that. {found.notes.join(" ")}
      </HowComputed>
    </Box>
  );
}

function Bands({ found }: { found: TwoPaths }) {
  const columns = "minmax(0, 1fr) 1fr 1fr 1fr 1fr";
  const db = (value: number | null) => (value === null ? "" : signed(value, 1));
  return (
    <>
      <SheetTitle sub about="dB against both added as if unrelated">
        By octave
      </SheetTitle>
      <Box role="table" aria-label="By octave" borderTop="1px solid" borderColor="ink">
        {[
          ["Hz", "now", "as set", "alone at best", "with, ms"],
          ...found.bands.map((band) => [
            num(band.hz, 0),
            db(band.now_db),
            db(band.set_db),
            db(band.best_db),
            band.best_ms === null
              ? ""
              : `${signed(band.best_ms, 2)}${band.polarity < 0 ? ", turned" : ""}`,
          ]),
        ].map((cells, i) => (
          <Box
            role="row"
            key={cells[0]}
            display="grid"
            gridTemplateColumns={columns}
            gap="8px"
            textAlign="right"
            fontSize={i === 0 ? "13px" : "14px"}
            color={i === 0 ? "ink2" : undefined}
            minHeight="28px"
            alignItems="center"
            borderBottom="1px solid"
            borderColor="rule"
          >
            {cells.map((cell, k) => (
              <Box
                role={i === 0 ? "columnheader" : "cell"}
                key={k}
                textAlign={k === 0 ? "left" : "right"}
                fontWeight={i > 0 && k === 2 ? 650 : 400}
                color={i > 0 && k === 1 && cell.startsWith("−") ? "diff" : undefined}
              >
                {cell}
              </Box>
            ))}
          </Box>
        ))}
      </Box>
    </>
  );
}

function Send({ found, onCopy }: { found: TwoPaths; onCopy: () => void }) {
  const { hand, take } = useSongContext();
  const route = useRoute();
  const fields = timeFields(route.variant, useKinds().data ?? []);
  if (found.late_ms === null) return null;
  const chosen = fields.find((f) => f.id === hand.tools?.stage) ?? fields[0];
  const ms = Math.abs(found.late_ms);
  return (
    <>
      <SheetTitle
        sub
        about={
          ms >= LEAST_MS
            ? `the later of the two stays, the earlier waits ${num(ms, 3)} ms`
            : undefined
        }
      >
        What to set
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 10px" alignItems="center" marginTop="6px">
        <Press hint="C" onClick={onCopy}>
          Copy
        </Press>
        {chosen && ms >= LEAST_MS && (
          <>
            <Choice
              aria-label={`Stage of ${route.named} that waits`}
              width="auto"
              maxWidth="220px"
              value={chosen.id}
              onChange={(event) => take({ tools: { ...hand.tools, stage: event.target.value } })}
            >
              {fields.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}
                </option>
              ))}
            </Choice>
            <Press
              title={`It is ${chosen.value} now`}
              onClick={() =>
                route.send(
                  [
                    {
                      do: "set",
                      node: chosen.node,
                      values: { [chosen.field]: `${num(ms, 3)} ms` },
                    },
                  ],
                  `${chosen.name} of ${route.named} waits ${num(ms, 3)} ms.`,
                )
              }
            >
              Write {num(ms, 3)} ms into it
            </Press>
          </>
        )}
      </Box>
    </>
  );
}
