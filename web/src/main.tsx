import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource-variable/besley/wght.css";

import { ChakraProvider } from "@chakra-ui/react";
import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import "./app/print.css";

import { beReady } from "./api/kept";
import { App } from "./app/App";
import { system } from "./ui/theme";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
const cache = createCache({ key: "css", nonce });
const client = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 10_000, networkMode: "always" } },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <CacheProvider value={cache}>
      <ChakraProvider value={system}>
        <QueryClientProvider client={client}>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>
    </CacheProvider>
  </StrictMode>,
);

beReady();
