/** Series or parallel, insert or send: both rigs are rendered, brought to one level, nulled, explained. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, ask, Refused, type Schemas, sentenceOf } from "../../api/client";
import { NullScale } from "../../charts/NullScale";
import { ClipChoice } from "../../clips/ClipChoice";
import { isBusy, useReadyClips } from "../../clips/queries";
import { useSongContext } from "../../song/context";
import { HowComputed, Notice, Press, SheetTitle, Waiting } from "../../ui/controls";
import { num } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Audition } from "./Audition";
import { answerOf, type Order, readyToTest, stageOf } from "./orders";
import { OrderSketch } from "./OrderSketch";
import { useNullTest } from "./queries";
import { Ways } from "./Ways";

type Begun = Schemas["Ordered"];

export default function OrdersPage() {
  const { variant, rig, clip } = useSongContext();
  const client = useQueryClient();
  const [picked, setPicked] = useState("");
  const orders = useQuery({
    queryKey: ["orders", variant?.id, variant?.revision],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/orders", {
          params: { path: { variant_id: variant!.id } },
        }),
      ),
    enabled: variant !== undefined,
  });
  const found = orders.data ?? [];
  const order = found.find((o) => o.id === picked) ?? found[0];
  const begin = useMutation({
    mutationFn: (id: string) =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/orders", {
          params: { path: { variant_id: variant!.id } },
          body: { order: id, clip: clip?.id ?? null },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["rigs"] }),
  });
  const begun = begin.data && begin.data.order.id === order?.id ? begin.data : null;
  const start = () => order && begin.mutate(order.id);
  useKey("orders", "N", start, order !== undefined && !begin.isPending);
  const named = rig && variant ? `${rig.name} ${variant.letter}` : "";
  return (
    <Box>
      <Ways here="orders" />
      <SheetTitle
        page
        about="what a rig holds, connected the other way: both are heard at one level, subtracted and explained"
      >
        Series or parallel, insert or send
      </SheetTitle>
      {orders.isPending && variant && <Waiting />}
      {(!variant || (orders.data && found.length === 0)) && (
        <Notice kind="note" word="Nothing to ask.">
          {named || "No rig"} holds no two devices that follow one another, and no insert with a mix
          of its own. Choose another rig above, or lay one under Route.
        </Notice>
      )}
      {order && (
        <>
          <Box
            display="flex"
            flexWrap="wrap"
            gap="8px 16px"
            alignItems="flex-end"
            marginBlock="8px"
          >
            <Labelled label={`what ${named} asks`}>
              <Choice
                width="auto"
                maxWidth="min(480px, 92vw)"
                value={order.id}
                onChange={(event) => setPicked(event.target.value)}
              >
                {(["series", "send"] as const).map((question) => {
                  const mine = found.filter((o) => o.question === question);
                  return (
                    mine.length > 0 && (
                      <optgroup
                        key={question}
                        label={question === "series" ? "Series or parallel" : "Insert or send"}
                      >
                        {mine.map((o) => (
                          <option key={o.id} value={o.id}>
                            {o.title}
                          </option>
                        ))}
                      </optgroup>
                    )
                  );
                })}
              </Choice>
            </Labelled>
            <Press look="primary" hint="N" disabled={begin.isPending} onClick={start}>
              Render both and subtract
            </Press>
          </Box>
          <Asked order={order} begun={begun} letter={variant?.letter ?? ""} />
          {begin.isError && (
            <Notice kind="fault" word="Not begun.">
              {sentenceOf(begin.error)}
            </Notice>
          )}
          {begun && <Answer key={begun.renders.join()} begun={begun} />}
        </>
      )}
      <Recorded order={order} />
    </Box>
  );
}

/** Both ways drawn, what arithmetic says before anything is heard, and what has to stand still. */
function Asked({ order, begun, letter }: { order: Order; begun: Begun | null; letter: string }) {
  return (
    <Box
      background="sheet"
      borderBlock="1px solid"
      borderColor="edge"
      padding={{ base: "10px", md: "12px 20px" }}
    >
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="10px 32px"
      >
        <OrderSketch way="here" letter={letter} order={order} />
        <OrderSketch way="other" letter={begun?.other_letter ?? ""} order={order} />
      </Box>
      <Box as="p" marginTop="8px">
        <strong>To expect</strong> {order.expects}
      </Box>
      {order.locks.map((words) => (
        <Box as="p" key={words} color="caution" fontSize="14px">
          {words}
        </Box>
      ))}
    </Box>
  );
}

function Answer({ begun }: { begun: Begun }) {
  const { song } = useSongContext();
  const renders = useQueries({
    queries: begun.renders.map((id) => ({
      queryKey: ["render", id],
      queryFn: () =>
        ask(
          api.GET("/api/v1/renders/{render_id}", {
            params: { path: { render_id: id }, query: { wait_s: 1 } },
          }),
        ),
      refetchInterval: (query: { state: { data?: { status: string } } }) =>
        query.state.data && !isBusy(query.state.data.status) ? (false as const) : 300,
    })),
  }).map((q) => q.data);
  const make = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-of-renders", {
          params: { path: { song_id: song.id } },
          body: {
            a: { render: begun.renders[0]!, path: "", before: false },
            b: { render: begun.renders[1]!, path: "", before: false },
          },
        }),
      ),
  });
  const ready = readyToTest(renders);
  const { mutate, isIdle } = make;
  useEffect(() => {
    if (ready && isIdle) mutate();
  }, [ready, isIdle, mutate]);
  const test = useNullTest(make.data?.id ?? "").data;
  const same = make.error instanceof Refused && make.error.problem.type.endsWith(":same");
  const fault = make.isError && !same ? sentenceOf(make.error) : "";
  const stage = stageOf(renders, test, same, fault);
  if (stage.at === "rendering" || stage.at === "testing") {
    const word =
      stage.at === "rendering" ? "Both are rendered" : "They are subtracted and explained";
    return (
      <Box role="status" aria-label="Under way" paddingBlock="12px">
        {word}, {num(stage.progress * 100, 0)} %
        <Box asChild display="block" width="min(480px, 100%)">
          <progress value={stage.progress} max={1} aria-label={word} />
        </Box>
      </Box>
    );
  }
  if (stage.at === "failed")
    return (
      <Notice kind="fault" word="Not answered.">
        {stage.said}
      </Notice>
    );
  const title =
    stage.at === "same" ? "The same sound, sample for sample." : (test?.result?.sentence ?? "");
  if (!title) return null;
  return (
    <Box as="section" aria-label="The answer" marginTop="14px">
      <Box as="h2" fontFamily="title" fontSize="21px" lineHeight="28px" fontWeight="600">
        {title}
      </Box>
      {stage.at === "same" && (
        <Box>
          {begun.order.here} or {begun.order.other}: nothing tells them apart.
        </Box>
      )}
      {stage.at === "answered" && test?.result && (
        <>
          <Box>{answerOf(test)}</Box>
          <Box marginTop="8px">
            <NullScale result={test.result} />
          </Box>
          <Box as="ol" aria-label="What differs" maxWidth="900px">
            {test.result.causes.slice(0, 5).map((cause, i) => (
              <Box
                as="li"
                key={`${cause.code} ${i}`}
                display="grid"
                gridTemplateColumns="28px minmax(0, 1fr) auto"
                borderBottom="1px solid"
                borderColor="rule"
                paddingBlock="4px"
              >
                <Box fontFamily="title" fontSize="17px" fontWeight="600">
                  {i + 1}
                </Box>
                <Box minWidth="0">
                  <strong>{cause.title}</strong>{" "}
                  <Box as="span" color="ink2" fontSize="13px">
                    {cause.evidence}
                  </Box>
                </Box>
                <Box whiteSpace="nowrap">
                  {cause.takes_db >= 0.5 ? `${num(cause.takes_db, 1)} dB` : cause.sure}
                </Box>
              </Box>
            ))}
          </Box>
          <Audition test={test} place={null} />
        </>
      )}
      <Box display="flex" flexWrap="wrap" gap="4px 20px" marginTop="8px" alignItems="center">
        <Box color="ink2" fontSize="14px">
          The other way is kept as variant {begun.other_letter}.
        </Box>
        {test && (
          <Box asChild color="ink" fontWeight="600">
            <Link to={`/songs/${song.id}/verify/${test.id}`}>
              Open this test with all its evidence
            </Link>
          </Box>
        )}
      </Box>
      <HowComputed>
        A is the rig as it is, B the other way, both through the same clip. B is brought onto A in
        level, time and polarity, so that louder is not taken for different; what is left is
        explained as in every null test.
      </HowComputed>
    </Box>
  );
}

/** The same question to real devices: two recordings of one sound. */
function Recorded({ order }: { order: Order | undefined }) {
  const { song } = useSongContext();
  const clips = useReadyClips(song.id);
  const navigate = useNavigate();
  const [a, setA] = useState("");
  const [b, setB] = useState("");
  const run = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-tests", {
          params: { path: { song_id: song.id } },
          body: {
            clip_a: a,
            clip_b: b,
            stems: [],
            options: { search_s: 2, region_a: { start_s: 0 }, region_b: { start_s: 0 } },
            limit: { kind: "relative", value_db: 90 },
          },
        }),
      ),
    onSuccess: (test) => navigate(`/songs/${song.id}/verify/${test.id}`),
  });
  const named =
    order?.question === "send" ? ["as an insert", "on a send"] : ["in series", "side by side"];
  return (
    <Box as="section" marginTop="18px" aria-label="Or recorded">
      <SheetTitle sub about="play one sound through your own devices both ways, and record each">
        Or recorded
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 16px" alignItems="flex-end" marginTop="4px">
        <ClipChoice label={`recorded ${named[0]}`} clips={clips} value={a} onChoose={setA} />
        <ClipChoice
          label={`recorded ${named[1]}`}
          clips={clips.filter((c) => c.id !== a)}
          value={b}
          onChoose={setB}
        />
        <Press disabled={!a || !b || run.isPending} onClick={() => run.mutate()}>
          Subtract these
        </Press>
      </Box>
      <Box color="ink2" fontSize="13px" marginTop="4px">
        Switch off or lock whatever moves by itself (chorus, flanger, vibrato, a modulated tail):
        two takes of it never null.
      </Box>
      {run.isError && (
        <Notice kind="fault" word="Not started.">
          {sentenceOf(run.error)}
        </Notice>
      )}
    </Box>
  );
}
