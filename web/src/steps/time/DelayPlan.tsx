/** The song's delays by name: one is in hand, and later steps use them all. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import { announce, Press } from "../../ui/controls";
import { TextInput } from "../../ui/QuantityField";
import type { DelayHandle } from "./useDelay";

export function DelayPlan({ handle }: { handle: DelayHandle }) {
  const { delays, at, line, choose, store } = handle;
  const [naming, setNaming] = useState(false);
  const add = () => {
    let n = delays.length + 1;
    while (delays.some((d) => d.name === `Delay ${n}`)) n++;
    store([...delays, { ...line, name: `Delay ${n}` }], delays.length);
    setNaming(true);
  };
  const drop = () => {
    const kept = delays;
    store(
      delays.filter((_, i) => i !== at),
      Math.max(0, at - 1),
    );
    announce(`“${line.name}” is taken out of the plan.`, {
      action: { word: "Undo", run: () => store(kept, at) },
    });
  };
  return (
    <Box display="flex" flexWrap="wrap" alignItems="center" gap="2px 12px">
      <Box
        role="tablist"
        aria-label="Delays of the song"
        display="flex"
        flexWrap="wrap"
        gap="2px 12px"
      >
        {delays.map((delay, i) =>
          naming && i === at ? (
            <Name
              key={`${i} naming`}
              name={delay.name ?? ""}
              onName={(name) => {
                setNaming(false);
                if (name && name !== delay.name) handle.change({ name });
              }}
            />
          ) : (
            <Press
              key={i}
              look="quiet"
              role="tab"
              aria-selected={i === at}
              fontWeight={i === at ? 650 : 400}
              textDecoration={i === at ? "underline 2px" : "none"}
              onClick={() => choose(i)}
              onDoubleClick={() => setNaming(true)}
            >
              {delay.name}{" "}
              <Box as="span" color="ink2" fontWeight="400">
                {delay.value}
              </Box>
            </Press>
          ),
        )}
      </Box>
      <Press look="quiet" onClick={add}>
        Add a delay
      </Press>
      <Press look="quiet" onClick={() => setNaming(true)} named={line.name}>
        rename
      </Press>
      {delays.length > 1 && (
        <Press look="quiet" onClick={drop} named={line.name}>
          take out
        </Press>
      )}
    </Box>
  );
}

function Name({ name, onName }: { name: string; onName: (name: string) => void }) {
  const [draft, setDraft] = useState(name);
  return (
    <TextInput
      aria-label="Name of the delay"
      width="150px"
      maxLength={40}
      autoFocus
      value={draft}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={() => onName(draft.trim())}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") onName("");
      }}
    />
  );
}
