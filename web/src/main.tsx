import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "bootstrap/dist/css/bootstrap.min.css";
import "./theme/tokens.css";
import "./theme/base.css";
import "./plot/drawing.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { Refused } from "./api/client";

const AWAY = new Set(["store-away", "app-away"]);

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // What is away comes back; what was refused stays refused.
      retry: (_count, error) => error instanceof Refused && AWAY.has(error.code),
      retryDelay: 1500,
      refetchOnWindowFocus: false,
      staleTime: 1000,
    },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
