import createCache from "@emotion/cache";
import { CacheProvider } from "@emotion/react";
import "@fontsource-variable/archivo/standard.css";
import "@fontsource-variable/archivo/standard-italic.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { Problem } from "./api/client";
import { begin } from "./bundles";
import { SchemeProvider } from "./theme/SchemeProvider";
import "./theme/look.css";
import "./theme/scale.css";
import "./theme/narrow.css";

// Styles that are made at run time carry the nonce that the content security policy asks for.
const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content;
const styles = createCache({ key: "kx", nonce, prepend: true });
/** Ask once more where no answer came, or one of a fault; not where the answer is that there is nothing, or that one may not. */
const again = (times: number, error: Error) => times < 1 && !(error instanceof Problem && error.status >= 400 && error.status < 500);
const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 2_000, retry: again, refetchOnWindowFocus: true } } });

const root = createRoot(document.getElementById("root") as HTMLElement);
const drawn = (
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
  </StrictMode>
);
void begin(location.pathname, queries).then(() => root.render(drawn));

// Installable: the page and its files are kept for a start without a network, once this first page has its own.
if ("serviceWorker" in navigator)
  window.addEventListener("load", () => void navigator.serviceWorker.register("/worker.js").catch(() => undefined));
