import "@fontsource-variable/source-sans-3";
import "@fontsource-variable/source-serif-4";
import "./app.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { type LeafName, leaves } from "./leaves";
import { register } from "./model/leaves";
import { set, store } from "./model/store";
import { App } from "./shell/App";
import { applyTheme } from "./shell/theme";

applyTheme();
register(leaves);
set({ widths: Object.fromEntries(leaves.map((l) => [l.name, l.width])) as Record<LeafName, number> });
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 60_000, refetchOnWindowFocus: false } },
});
// Who signs in next is shown nothing of whoever did before.
store.subscribe((now, before) => {
  if (now.person?.id !== before.person?.id) queries.clear();
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <App />
    </QueryClientProvider>
  </StrictMode>,
);
