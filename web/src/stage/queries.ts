/** The stage sheet of a variant, and how its devices read. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";

export function useSheet(variantId: string, scene: string, enabled = true) {
  return useQuery({
    enabled,
    queryKey: ["sheet", variantId, scene],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/sheet", {
          params: { path: { variant_id: variantId }, query: scene ? { scene } : {} },
        }),
      ),
    refetchOnMount: "always",
  });
}

export function usePanels() {
  return useQuery({ queryKey: ["panels"], queryFn: () => ask(api.GET("/api/v1/panels")) });
}

/** A variant as it is stored: what it is called, and its revision. */
export function useStored(variantId: string) {
  return useQuery({
    queryKey: ["variant-stored", variantId],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: variantId } } }),
      ),
    refetchOnMount: "always",
  });
}
