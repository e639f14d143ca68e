/** The ways of Verify: two sounds, one against many, and the bench. */
import { Box } from "@chakra-ui/react";
import { NavLink } from "react-router";

import { useSongContext } from "../../song/context";

const WAYS = [
  ["", "Null test", "two sounds"],
  ["many", "One against many", "a table"],
  ["passes", "Three passes", "hear the compression"],
  ["paths", "Two paths", "phase"],
  ["orders", "Series or send", "the other way round"],
  ["live", "Live null", "while it plays"],
  ["bench", "Bench", "what a device really does"],
] as const;

export function Ways({ here }: { here: (typeof WAYS)[number][0] }) {
  const { song } = useSongContext();
  return (
    <Box
      as="nav"
      aria-label="Ways of verifying"
      display="flex"
      flexWrap="wrap"
      gap="2px 22px"
      borderBottom="1px solid"
      borderColor="edge"
      marginBottom="10px"
    >
      {WAYS.map(([path, name, about]) => (
        <NavLink
          key={path}
          to={`/songs/${song.id}/verify${path ? `/${path}` : ""}`}
          style={{ color: "inherit", textDecoration: "none" }}
          aria-current={here === path ? "page" : undefined}
        >
          <Box
            minHeight={{ base: "44px", sm: "34px" }}
            display="flex"
            alignItems="center"
            gap="8px"
            borderBottom={here === path ? "3px solid" : "3px solid transparent"}
            borderColor={here === path ? "ink" : "transparent"}
            fontWeight={here === path ? 650 : 400}
          >
            {name}
            <Box as="span" color="ink2" fontSize="13px" fontWeight="400" hideBelow="xl">
              {about}
            </Box>
          </Box>
        </NavLink>
      ))}
    </Box>
  );
}
