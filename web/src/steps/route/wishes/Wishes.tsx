/** Standing wishes of a rig: which hold and by how much; what would fulfil them. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type RigAction, sentenceOf, type Variant } from "../../../api/client";
import { WishScale } from "../../../charts/WishScale";
import { HowComputed, Notice, Pennant, Press, SheetTitle, Unseen } from "../../../ui/controls";
import { FreeList } from "./FreeList";
import { ProposalList } from "./ProposalList";
import { useSongContext } from "../../../song/context";
import { AtWork } from "../../../wishes/AtWork";
import { useSearch } from "../../../wishes/useSearch";
import { useWishes } from "../../../wishes/useWishes";
import { WishForm } from "./WishForm";
import {
  askedOf,
  type Chosen,
  heldOn,
  scaleOf,
  shownFigure,
  type Wish,
  type WishOut,
} from "../../../wishes/wishes";

interface Props {
  variant: Variant;
  onEdit: (action: RigAction) => void;
  onOpen: (variant: string) => void;
}

export function Wishes({ variant, onEdit, onOpen }: Props) {
  const { page, over, clip } = useWishes(variant);
  const { rig } = useSongContext();
  const [free, setFree] = useState<Chosen | null>(null);
  const path = { params: { path: { variant_id: variant.id } } };
  const kinds = useQuery({
    queryKey: ["wish-kinds"],
    queryFn: () => ask(api.GET("/api/v1/wish-kinds")),
    staleTime: Infinity,
  });
  /** What an answer is about: of another rig or clip it is none. */
  const about = `${variant.id} ${variant.revision} ${over}`;
  const asked = askedOf(free, page.data?.free ?? []);
  const { begin, search, problem, looking, stop } = useSearch(about);
  const find = () =>
    void begin(about, () =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/proposals", {
          ...path,
          body: { clip: over, free: asked as Exclude<typeof asked, string> },
        }),
      ),
    );
  const wishes = (variant.document.wishes ?? []) as Wish[];
  const store = (next: Wish[]) => onEdit({ do: "wishes", wishes: next } as RigAction);
  if (page.isError)
    return (
      <Notice kind="fault" word="Not worked out.">
        {sentenceOf(page.error)}
      </Notice>
    );
  if (!page.data || !kinds.data) return <Box color="ink2">Reading the wishes</Box>;
  const { standing, sets } = page.data;
  const found = search?.proposals ?? null;
  return (
    <Box as="section" aria-label="Wishes">
      <SheetTitle
        sub
        about="what shall arrive; taste is yours, the arithmetic is done here, and nothing is decided for you"
      >
        Wishes
      </SheetTitle>
      {standing.wishes.length > 0 && (
        <Box as="p" role="status" marginBlock="2px 4px">
          <strong>{standing.sentence}</strong>
          {clip && <Box as="span" color="ink2">{` Entries: those of ${clip.name}.`}</Box>}
        </Box>
      )}
      <Box as="ul" borderTop={standing.wishes.length ? "1.5px solid" : "none"} borderColor="ink">
        {standing.wishes.map((one, n) => (
          <Row
            key={`${n} ${one.title}`}
            one={one}
            onMust={() => store(wishes.map((w, i) => (i === n ? { ...w, must: !w.must } : w)))}
            onTakeBack={() => store(wishes.filter((_, i) => i !== n))}
          />
        ))}
      </Box>
      <WishForm
        key={`${variant.id} ${wishes.length}`}
        kinds={kinds.data}
        variant={variant}
        others={(rig?.variants ?? []).filter((v) => v.id !== variant.id).map((v) => v.letter)}
        first={wishes.length === 0}
        onWish={(wish) => store([...wishes, wish])}
      />
      {wishes.length === 0 && (
        <Box as="ul" aria-label="Sets to begin with" marginTop="8px">
          {sets.map((set) => (
            <Box
              as="li"
              key={set.id}
              display="flex"
              flexWrap="wrap"
              gap="4px 14px"
              alignItems="center"
              paddingBlock="5px"
              borderTop="1px solid"
              borderColor="rule"
            >
              <Press
                disabled={set.wishes.length === 0}
                named={`with ${set.name}`}
                onClick={() => store(set.wishes)}
              >
                Begin
              </Press>
              <Box flex="1 1 260px">
                <strong>{set.name}</strong>{" "}
                <Box as="span" color="ink2">
                  {set.lacks || set.about}
                </Box>
              </Box>
            </Box>
          ))}
        </Box>
      )}
      {wishes.length > 0 && (
        <Box marginTop="12px">
          <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="baseline">
            <Press
              look="primary"
              disabled={
                looking || typeof asked === "string" || standing.held === standing.wishes.length
              }
              onClick={find}
            >
              Find settings
            </Press>
            <FreeList all={page.data.free} chosen={free} onChoose={setFree} />
          </Box>
          {typeof asked === "string" && (
            <Box color="diff" role="alert">
              {asked}
            </Box>
          )}
          {looking && <AtWork search={search} onStop={stop} />}
          {problem && (
            <Notice kind="fault" word="Nothing was proposed.">
              {problem}
            </Notice>
          )}
          {found && typeof asked !== "string" && (
            <ProposalList
              out={found}
              looking={looking}
              variant={variant}
              over={over}
              free={asked}
              onEdit={onEdit}
              onOpen={onOpen}
            />
          )}
        </Box>
      )}
      <HowComputed>
        {standing.computed_how}
        {found && (
          <Box>
            {found.computed_how} {found.looked_at} settings were looked at.
          </Box>
        )}
        {standing.wishes.map((one, n) => (
          <Box key={n}>
            {one.title}: {one.definition}. {one.taste ? "Taste." : "Arithmetic."} {one.about}
          </Box>
        ))}
      </HowComputed>
    </Box>
  );
}

function Row({
  one,
  onMust,
  onTakeBack,
}: {
  one: WishOut;
  onMust: () => void;
  onTakeBack: () => void;
}) {
  const ends = scaleOf(one.wish, one.figure);
  return (
    <Box
      as="li"
      display="grid"
      gridTemplateColumns={{
        base: "24px minmax(0, 1fr) auto",
        lg: "24px minmax(0, 1.2fr) minmax(160px, 1fr) 108px 150px",
      }}
      gap="2px 14px"
      alignItems="center"
      paddingBlock="6px"
      borderBottom="1px solid"
      borderColor="rule"
    >
      {one.holds ? (
        <Pennant kind="passed" />
      ) : (
        <Pennant kind={one.holds === null ? "note" : "caution"} small />
      )}
      <Box minWidth="0">
        <Box fontWeight="650" overflowWrap="anywhere">
          {one.title}
        </Box>
        <Box color="ink2" fontSize="13px">
          {one.asked}
          {one.figure === null ? `: ${one.sentence}` : ""}
          {one.holds === false && (
            <Box as="span" color="caution" fontWeight="650">
              {`; ${one.sentence.split(": ").at(-1)!.replace(/\.$/, "")}`}
            </Box>
          )}
          {one.holds === true && <Unseen> holds</Unseen>}
        </Box>
      </Box>
      <Box gridColumn={{ base: "2 / -1", lg: "auto" }} gridRow={{ base: "2", lg: "auto" }}>
        {one.figure !== null && (
          <WishScale
            ends={ends}
            held={heldOn(one.wish, ends)}
            figure={one.figure}
            unit={one.unit}
            holds={one.holds}
            label={`${one.title}: ${shownFigure(one)}, wished ${one.asked}`}
          />
        )}
      </Box>
      <Box fontWeight="650" textAlign="right" whiteSpace="nowrap">
        {shownFigure(one)}
      </Box>
      <Box
        display="flex"
        gap="0 10px"
        justifyContent="flex-end"
        gridColumn={{ base: "2 / -1", lg: "auto" }}
      >
        <Press look="quiet" aria-pressed={one.wish.must} named={one.title} onClick={onMust}>
          {one.wish.must ? "Must" : "Should"}
        </Press>
        <Press look="quiet" named={one.title} onClick={onTakeBack}>
          Take back
        </Press>
      </Box>
    </Box>
  );
}
