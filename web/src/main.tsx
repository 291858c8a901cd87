import "@fontsource-variable/bricolage-grotesque";
import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
import "@fontsource/atkinson-hyperlegible-next/700.css";
import { CssBaseline, ThemeProvider } from "@mui/material";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { ErrorBoundary } from "react-error-boundary";
import { App } from "./workbench/App";
import { Broken } from "./workbench/Broken";
import { theme } from "./model/theme";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <QueryClientProvider client={new QueryClient()}>
      <ThemeProvider theme={theme} defaultMode="light">
        <CssBaseline />
        <ErrorBoundary FallbackComponent={Broken}>
          <App />
        </ErrorBoundary>
      </ThemeProvider>
    </QueryClientProvider>,
  );
}
