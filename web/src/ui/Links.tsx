/** Words that lead somewhere, and words that keep a file. */
import { Box, chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Link } from "react-router";

const LOOK = {
  color: "ink",
  fontWeight: "600",
  textDecoration: "underline",
  textUnderlineOffset: "3px",
} as const;

export function To({ to, children, ...rest }: { to: string; children: ReactNode }) {
  return (
    <Box asChild {...LOOK} {...rest}>
      <Link to={to}>{children}</Link>
    </Box>
  );
}

/** What the server has at an address, as a file to keep. */
export function Keep({ href, children, ...rest }: { href: string; children: ReactNode }) {
  return (
    <chakra.a href={href} download {...LOOK} {...rest}>
      {children}
    </chakra.a>
  );
}
