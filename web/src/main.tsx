import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import "@fontsource-variable/archivo/standard.css";
import "@fontsource-variable/archivo/standard-italic.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { SchemeProvider } from "./theme/SchemeProvider";
import "./theme/look.css";
import "./theme/scale.css";

// Styles that are made at run time carry the nonce that the content security policy asks for.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content;
const styles = createCache({ key: "kx", nonce, prepend: true });
const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 2_000, retry: 1, refetchOnWindowFocus: true } } });

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <CacheProvider value={styles}>
      <SchemeProvider>
        <QueryClientProvider client={queries}>
          {/* What is chosen stands in the address, and the next click acts on it: so the screen follows at once, not in a transition. */}
          <BrowserRouter useTransitions={false}>
            <App />
          </BrowserRouter>
        </QueryClientProvider>
      </SchemeProvider>
    </CacheProvider>
  </StrictMode>,
);
