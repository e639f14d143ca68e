import type { QueryClient } from "@tanstack/react-query";

import type { Schemas } from "../api/client";

/** Take over a new session and forget everything that belonged to the one before. */
export function enter(client: QueryClient, session: Schemas["Session"]): void {
  client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
  client.setQueryData(["session"], session);
}
