/** A rail that is about to be laid: from where, what stands on it, where it may land, what that does. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, type RigAction, type Schemas, sentenceOf, type Variant } from "../../api/client";
import { useSteady } from "../../ui/hooks";
import { type Lay, layOf, shifted } from "./graph";
import type { Place } from "./Plan";
import type { Trying } from "./useTrial";

export type Landing = Schemas["LandingOut"];

export interface Wanted {
  title: string;
  by: Lay["by"];
  starts: string[];
  /** The rail behind the run that it is laid beside. */
  end: string | null;
  kind: string | null;
  level_db?: number;
}

export interface Laying {
  wanted: Wanted | null;
  rows: Landing[];
  letters: string[];
  chosen: Landing | null;
  waiting: boolean;
  /** Why the places are not known. */
  fault: string;
  open: (wanted: Wanted) => void;
  choose: (place: string) => void;
  step: (by: 1 | -1) => void;
  byLetter: (letter: string) => void;
  shift: (way: 1 | -1) => void;
  put: (kind: string | null) => void;
  lay: () => void;
  leave: () => void;
  places: Place[];
}

export const letterOf = (i: number) => (i < 26 ? String.fromCharCode(97 + i) : "");

/** The next place that can be landed at, going round. */
export function stepped(rows: Landing[], at: string, by: 1 | -1): string {
  const open = rows.filter((r) => r.possible);
  if (!open.length) return at;
  const i = open.findIndex((r) => r.place === at);
  return open[(i + by + open.length) % open.length]!.place;
}

export function useLaying(
  variant: Variant | undefined,
  trying: Trying,
  edit: (action: RigAction) => void,
): Laying {
  const [wanted, setWanted] = useState<Wanted | null>(null);
  const [picked, setPicked] = useState("");
  const lay =
    wanted &&
    layOf({
      by: wanted.by,
      starts: wanted.starts,
      to: "output",
      kind: wanted.kind,
      ...(wanted.level_db === undefined ? {} : { level_db: wanted.level_db }),
    });
  const query = useQuery({
    queryKey: ["landings", variant?.id, variant?.revision, lay, wanted?.end],
    queryFn: () =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/landings", {
          params: { path: { variant_id: variant!.id } },
          body: { lay: lay!, end: wanted!.end },
        }),
      ),
    enabled: wanted !== null && variant !== undefined,
    placeholderData: keepPreviousData,
  });
  const rows = wanted ? (query.data ?? []) : [];
  const chosen =
    rows.find((r) => r.place === picked && r.possible) ?? rows.find((r) => r.possible) ?? null;
  const action = lay && chosen ? ({ ...lay, to: chosen.place } as RigAction) : null;
  const look = useSteady((one: RigAction | null) => trying.look(one));
  const thought = JSON.stringify(action);
  useEffect(() => {
    if (wanted) look(JSON.parse(thought) as RigAction | null);
  }, [wanted, thought, look]);
  const close = () => {
    setWanted(null);
    setPicked("");
  };
  const letters = rows.map((_, i) => letterOf(i));
  return {
    wanted,
    rows,
    letters,
    chosen,
    waiting: wanted !== null && query.isPending,
    fault: wanted !== null && query.isError ? sentenceOf(query.error) : "",
    open: (next) => {
      setWanted(next);
      setPicked("");
    },
    choose: setPicked,
    step: (by) => setPicked(stepped(rows, chosen?.place ?? "", by)),
    byLetter: (letter) => {
      const row = rows[letters.indexOf(letter)];
      if (row?.possible) setPicked(row.place);
    },
    shift: (way) => {
      if (!wanted || !variant || wanted.starts.length !== 1) return;
      const start = shifted(variant, wanted.starts[0]!, way);
      if (start && start !== wanted.end) setWanted({ ...wanted, starts: [start] });
    },
    put: (kind) => wanted && setWanted({ ...wanted, kind }),
    lay: () => {
      if (action) edit(action);
      close();
    },
    leave: () => {
      look(null);
      close();
    },
    places: rows.flatMap((row, i) =>
      letters[i]
        ? [
            {
              letter: letters[i],
              at: row.at,
              chosen: row === chosen,
              possible: row.possible,
            },
          ]
        : [],
    ),
  };
}
