import "@fontsource-variable/newsreader";
import "@fontsource-variable/public-sans";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { Busy } from "./parts/Busy";
import { Room } from "./parts/Room";
import { same } from "./records";
import { asksOnceMore } from "./state/asked";
import { theme } from "./theme";

// The server is on this machine: it is there when the network is not.
const networkMode = "always";
// What is asked for again and says the same stays the same object; as it came, without a prototype, it stays in any case.
const structuralSharing = (before: unknown, now: unknown) => (same(before, now) ? before : now);
const client = new QueryClient({
  defaultOptions: {
    queries: { retry: asksOnceMore, refetchOnWindowFocus: false, networkMode, structuralSharing },
    mutations: { networkMode },
  },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <ThemeProvider theme={theme}>
        <CssBaseline />
        <Busy />
        <Room name="Steady Tally" of={null}>
          <App />
        </Room>
      </ThemeProvider>
    </QueryClientProvider>
  </StrictMode>,
);
