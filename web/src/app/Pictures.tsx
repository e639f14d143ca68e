/** Every picture of the view that is open as SVG and PNG, every table as CSV. */
import { Box } from "@chakra-ui/react";
import { useEffect, useState } from "react";

import { announce, Dialog, Press } from "../ui/controls";
import { useKey } from "../ui/keys";
import {
  asPng,
  fileName,
  type Kept,
  keepFile,
  lettersOwn,
  picturesOn,
  standAlone,
  titleOf,
  toldApart,
} from "../ui/picture-file";
import { csvOf, type KeptTable, rowsOf, tablesOn } from "../ui/table-file";

const ASKED = "fonodrome:pictures";
export const askForPictures = () => window.dispatchEvent(new Event(ASKED));

/** The song that is open, as its head says. */
const songOnPage = () =>
  document.querySelector<HTMLInputElement>('input[aria-label="Song title"]')?.value ?? "";

interface Found {
  of: string;
  kept: Kept[];
  urls: string[];
  tables: KeptTable[];
}

export function Pictures() {
  const [found, setFound] = useState<Found | null>(null);
  const open = async () => {
    const of = songOnPage();
    const letters = await lettersOwn();
    const kept = picturesOn(document).map((svg) => standAlone(svg, of, letters));
    const urls = kept.map((one) =>
      URL.createObjectURL(new Blob([one.svg], { type: "image/svg+xml" })),
    );
    const names = toldApart(kept.map((one) => one.title));
    const seen = tablesOn(document);
    const heads = toldApart(seen.map(titleOf));
    setFound({
      of,
      kept: kept.map((one, n) => ({ ...one, title: names[n]! })),
      urls,
      tables: seen.map((table, n) => ({ title: heads[n]!, rows: rowsOf(table) })),
    });
  };
  useKey("everywhere", "Shift K", () => void open());
  useEffect(() => {
    const asked = () => void open();
    window.addEventListener(ASKED, asked);
    return () => window.removeEventListener(ASKED, asked);
  }, []);
  useEffect(() => () => found?.urls.forEach((url) => URL.revokeObjectURL(url)), [found]);
  if (!found) return null;
  const png = async (one: Kept) => {
    try {
      keepFile(await asPng(one), fileName(found.of, one.title, "png"));
    } catch {
      announce("The browser could not draw it. Keep the SVG.", { kind: "fault" });
    }
  };
  return (
    <Dialog title="Keep pictures and tables" onClose={() => setFound(null)}>
      {found.kept.length + found.tables.length === 0 && (
        <Box>There is no picture and no table in this view.</Box>
      )}
      <Box as="ul">
        {found.kept.map((one, n) => (
          <Box
            as="li"
            key={n}
            display="grid"
            gridTemplateColumns="120px minmax(0, 1fr)"
            gap="4px 12px"
            alignItems="center"
            paddingBlock="8px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box asChild maxHeight="80px" maxWidth="120px" border="1px solid" borderColor="edge">
              <img src={found.urls[n]} alt="" />
            </Box>
            <Box minWidth="0">
              <Box fontWeight="650" overflowWrap="anywhere">
                {one.title}
              </Box>
              <Box color="ink2" fontSize="13px" lineClamp="2">
                {one.about}
              </Box>
              <Box display="flex" gap="8px" marginTop="4px">
                <Press
                  named={one.title}
                  onClick={() =>
                    keepFile(
                      new Blob([one.svg], { type: "image/svg+xml" }),
                      fileName(found.of, one.title, "svg"),
                    )
                  }
                >
                  SVG
                </Press>
                <Press named={one.title} onClick={() => void png(one)}>
                  PNG
                </Press>
              </Box>
            </Box>
          </Box>
        ))}
      </Box>
      <Box as="ul">
        {found.tables.map((table) => (
          <Box
            as="li"
            key={table.title}
            display="flex"
            gap="4px 12px"
            alignItems="center"
            paddingBlock="8px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box flex="1" minWidth="0">
              <Box fontWeight="650" overflowWrap="anywhere">
                {table.title}
              </Box>
              <Box color="ink2" fontSize="13px">
                table, {table.rows.length - 1} rows: {table.rows[0]?.filter(Boolean).join(", ")}
              </Box>
            </Box>
            <Press
              named={table.title}
              onClick={() =>
                keepFile(
                  new Blob([csvOf(table.rows)], { type: "text/csv;charset=utf-8" }),
                  fileName(found.of, table.title, "csv"),
                )
              }
            >
              CSV
            </Press>
          </Box>
        ))}
      </Box>
      <Box marginTop="12px">
        <Press onClick={() => setFound(null)} hint="Esc">
          Close
        </Press>
      </Box>
    </Dialog>
  );
}
