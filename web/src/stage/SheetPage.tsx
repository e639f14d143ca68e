/** The stage sheet: looked at, printed, kept as Markdown or CSV; and how its devices read. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams, useSearchParams } from "react-router";

import { sentenceOf } from "../api/client";
import { useKinds } from "../rigs/kinds";
import { Notice, Press, Waiting } from "../ui/controls";
import { useKey } from "../ui/keys";
import { Keep, To } from "../ui/Links";
import { Choice } from "../ui/QuantityField";
import { fontsLoaded } from "../ui/measure";
import { Devices } from "./Devices";
import { Paper } from "./Paper";
import { usePanels, useSheet, useStored } from "./queries";
import { Readings } from "./Readings";
import type { Row, Sheet } from "./sheet";

export default function SheetPage() {
  const { songId = "", variantId = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const scene = search.get("scene") ?? "";
  const sheet = useSheet(variantId, scene);
  const whole = useSheet(variantId, "");
  useKey("sheet", "P", () => window.print());
  const fonts = useQuery({ queryKey: ["fonts"], queryFn: fontsLoaded, staleTime: Infinity });
  const scenes = whole.data?.scenes ?? [];
  const base = `/api/v1/variants/${variantId}/sheet?${scene ? `scene=${encodeURIComponent(scene)}&` : ""}form=`;
  return (
    <Box as="main" paddingInline={{ base: "12px", sm: "20px" }} paddingBottom="40px">
      <Box
        data-no-print
        display="flex"
        flexWrap="wrap"
        gap="8px 16px"
        alignItems="center"
        paddingBlock="10px"
      >
        <Press look="primary" hint="P" onClick={() => window.print()}>
          Print
        </Press>
        <To to={`/songs/${songId}/variants/${variantId}/set-up`}>Set it up</To>
        {scenes.length > 0 && (
          <Choice
            aria-label="Scenes on the sheet"
            width="auto"
            value={scene}
            onChange={(e) =>
              setSearch(e.target.value ? { scene: e.target.value } : {}, { replace: true })
            }
          >
            <option value="">all scenes</option>
            {scenes.map((s) => (
              <option key={s.name} value={s.name}>
                {s.name} alone
              </option>
            ))}
          </Choice>
        )}
        <Keep href={`${base}md`}>Markdown</Keep>
        <Keep href={`${base}csv`}>CSV</Keep>
        <To to={`/songs/${songId}/share?variant=${variantId}`}>Share</To>
        <To to={`/songs/${songId}/route`}>Back to Route</To>
      </Box>
      {(sheet.isPending || fonts.isPending) && <Waiting />}
      {sheet.isError && (
        <Notice kind="fault" word="No sheet.">
          {sentenceOf(sheet.error)}
        </Notice>
      )}
      {sheet.data && !fonts.isPending && (
        <>
          <Box data-no-print>
            <ReadsOf key={variantId} sheet={sheet.data} variantId={variantId} />
          </Box>
          <Box overflowX="auto" data-paper-frame>
            <Box display="inline-block" border="1px solid" borderColor="edge">
              <Paper sheet={sheet.data} printedAt={new Date(sheet.data.facts.made_at)} />
            </Box>
          </Box>
        </>
      )}
    </Box>
  );
}

/** More than these are chosen from a list. */
const AT_ONCE = 10;
const wordsOf = (row: Row): string =>
  `${row.number} ${row.name}${row.settings.some((s) => s.by_panel) ? " ✓" : ""}`;

/** Each stage with a button that says how its device reads. */
function ReadsOf({ sheet, variantId }: { sheet: Sheet; variantId: string }) {
  const [open, setOpen] = useState<Row | null>(null);
  const [listed, setListed] = useState(false);
  const kinds = useKinds();
  const panels = usePanels();
  const stored = useStored(variantId);
  const node = open ? stored.data?.document.nodes?.[open.id] : undefined;
  const unit = node && "unit" in node ? (node.unit ?? "") : "";
  const own = node?.name ?? "";
  const found = (name: string) =>
    panels.data?.find((p) => p.panel.name.toLowerCase() === name.trim().toLowerCase())?.panel;
  const rows = sheet.rows.filter((r) => r.box && r.settings.some((s) => s.value !== null));
  return (
    <Box marginBottom="10px">
      <Box display="flex" flexWrap="wrap" gap="4px 12px" alignItems="center">
        <Box color="ink2" fontSize="13px">
          Reads:
        </Box>
        {rows.length <= AT_ONCE &&
          rows.map((row) => (
            <Press key={row.id} look="quiet" onClick={() => setOpen(row)}>
              {wordsOf(row)}
            </Press>
          ))}
        {rows.length > AT_ONCE && (
          <Choice
            aria-label="How a stage reads"
            width="220px"
            value=""
            onChange={(e) => setOpen(rows.find((r) => r.id === e.target.value) ?? null)}
          >
            <option value="">choose a stage</option>
            {rows.map((row) => (
              <option key={row.id} value={row.id}>
                {wordsOf(row)}
              </option>
            ))}
          </Choice>
        )}
        <Press onClick={() => setListed(true)}>Devices</Press>
      </Box>
      {listed && <Devices onClose={() => setListed(false)} />}
      {open && stored.data && panels.data && (
        <Readings
          row={open}
          kind={kinds.data?.find((k) => k.kind === open.kind)}
          name={unit || own || open.name}
          panel={found(unit) ?? found(own)}
          variant={{ id: variantId, revision: stored.data.revision }}
          stageName={unit || own}
          onClose={() => setOpen(null)}
        />
      )}
    </Box>
  );
}
