/** The halts of a measurement on a line, each with what it is and what was read at it. */
import { Box } from "@chakra-ui/react";

export interface HaltShown {
  name: string;
  words: string;
  start_s: number;
  length_s: number;
  said?: string;
  read?: boolean;
}

interface Props {
  halts: HaltShown[];
  /** 0 to 1 of the whole course that is done; nothing where it has not begun. */
  share?: number;
  label: string;
}

export function HaltCourse({ halts, share, label }: Props) {
  const end = halts.at(-1) ? halts.at(-1)!.start_s + halts.at(-1)!.length_s : 1;
  const progress = share === undefined ? {} : { role: "progressbar", "aria-valuenow": Math.round(share * 100), "aria-valuemin": 0, "aria-valuemax": 100 }; // prettier-ignore
  return (
    <Box
      {...progress}
      aria-label={share === undefined ? undefined : label}
      background="sheet"
      borderBlock="1px solid"
      borderColor="edge"
      padding={{ base: "8px 10px", md: "12px 20px" }}
    >
      <Box
        as="ol"
        aria-label={label}
        display="grid"
        gridTemplateColumns={{
          base: "minmax(0, 1fr)",
          md: `repeat(${halts.length}, minmax(0, 1fr))`,
        }}
        gap={{ base: "6px", md: "0" }}
      >
        {halts.map((halt, i) => {
          const done =
            halt.read ?? (share !== undefined && share * end > halt.start_s + halt.length_s);
          const on = share !== undefined && !done && share * end > halt.start_s;
          return (
            <Box
              as="li"
              key={halt.name}
              position="relative"
              display="grid"
              gridTemplateColumns={{ base: "26px minmax(0, 1fr)", md: "minmax(0, 1fr)" }}
              justifyItems={{ base: "start", md: "center" }}
              alignContent="start"
              textAlign={{ base: "left", md: "center" }}
              fontSize="14px"
            >
              <Box fontWeight="650" order={{ base: 2, md: 0 }}>
                {i + 1} {halt.name}
                <Box as="span" color="ink2" fontWeight="400" fontSize="13px" hideFrom="md">
                  {" "}
                  {halt.said ?? halt.words}
                </Box>
              </Box>
              <Box
                order={{ base: 1, md: 0 }}
                position="relative"
                width="100%"
                height="24px"
                aria-hidden
              >
                <Box
                  hideBelow="md"
                  position="absolute"
                  top="11px"
                  left={i === 0 ? "50%" : "0"}
                  right={i === halts.length - 1 ? "50%" : "0"}
                  borderTop="2px"
                  borderStyle={done || on || share === undefined ? "solid" : "dotted"}
                  borderColor="ink"
                />
                <Box
                  position="absolute"
                  top="4px"
                  left={{ base: "0", md: "calc(50% - 8px)" }}
                  width="16px"
                  height="16px"
                  borderRadius="50%"
                  border="2px solid"
                  borderStyle={done || on || share === undefined ? "solid" : "dotted"}
                  borderColor={halt.read === false ? "diff" : "ink"}
                  background={done ? "ink" : "sheet"}
                />
              </Box>
              <Box color="ink2" fontSize="13px" hideBelow="md">
                {halt.said ?? halt.words}
              </Box>
              {halt.read !== undefined && (
                <Box
                  hideBelow="md"
                  fontSize="13px"
                  fontWeight="650"
                  color={halt.read ? "ok" : "diff"}
                >
                  {halt.read ? "✓ read" : "not read"}
                </Box>
              )}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}
