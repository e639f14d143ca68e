import { Box, chakra } from "@chakra-ui/react";
import { Link } from "react-router";

/** The word mark: a course that splits, and its finish line. */
export function Mark() {
  return (
    <Link
      to="/"
      aria-label="Fonodrome, all songs"
      style={{ color: "inherit", textDecoration: "none" }}
    >
      <Box display="flex" alignItems="center" gap="8px">
        <chakra.svg
          width="38px"
          height="18px"
          viewBox="0 0 38 18"
          fill="none"
          color="ink"
          aria-hidden
        >
          <path d="M1 6h31M1 2v8M34 1v16M37.200 1v16" stroke="currentColor" strokeWidth="1.75" />
          <chakra.path
            d="M8 6v5q0 3 3 3h21"
            stroke="wet"
            strokeWidth="1.75"
            strokeDasharray="4 2"
          />
        </chakra.svg>
        <Box as="span" fontWeight="700" fontSize="16px" display={{ base: "none", xl: "inline" }}>
          Fonodrome
        </Box>
      </Box>
    </Link>
  );
}
