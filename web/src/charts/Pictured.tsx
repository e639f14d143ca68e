/** Evidence under its title, with what tells its lines and dots apart. */
import { Box } from "@chakra-ui/react";

import { SheetTitle } from "../ui/controls";
import { ink } from "../ui/theme";
import { hollowOf, type Picture } from "./picture";
import { PictureChart } from "./PictureChart";

type Named = Pick<Picture["series"][number], "name" | "look">;

export function Pictured({ picture, tall }: { picture: Picture; tall?: number }) {
  return (
    <>
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="0 12px">
        <SheetTitle sub about={picture.about}>
          {picture.title}
        </SheetTitle>
        <Box flex="1" />
        {picture.series.length > 1 && <Legend names={picture.series} />}
      </Box>
      <PictureChart picture={picture} tall={tall} />
    </>
  );
}

/** Broad for what would be, thin for what was found, a dot or a ring for single points. */
export function Legend({ names }: { names: Named[] }) {
  return (
    <Box
      as="ul"
      aria-label="What is drawn"
      display="flex"
      flexWrap="wrap"
      gap="0 12px"
      fontSize="13px"
      alignItems="center"
    >
      {names.map((series) => (
        <Box as="li" key={series.name} display="inline-flex" alignItems="center" gap="6px">
          {series.look === "points" ? (
            <Point hollow={hollowOf(names, series)} />
          ) : (
            <Box
              as="span"
              display="inline-block"
              width="24px"
              borderTop={series.look === "fit" ? "6px solid" : "1.5px solid"}
              borderColor={series.look === "fit" ? "band" : "ink"}
            />
          )}
          {series.name}
        </Box>
      ))}
    </Box>
  );
}

function Point({ hollow }: { hollow: boolean }) {
  return (
    <svg width="9" height="9" aria-hidden="true" data-hollow={hollow}>
      <circle
        cx="4.5"
        cy="4.5"
        r={hollow ? 3.2 : 2.4}
        fill={ink(hollow ? "sheet" : "ink")}
        stroke={ink("ink")}
      />
    </svg>
  );
}
