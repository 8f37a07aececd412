import "./app/kit.css";
import "@mantine/notifications/styles.css";
import "@mantine/spotlight/styles.css";
import "@fontsource-variable/source-sans-3/wght.css";
import "@fontsource-variable/source-code-pro/wght.css";
import "./app/theme.css";
import { localStorageColorSchemeManager, MantineProvider } from "@mantine/core";
import { Notifications } from "@mantine/notifications";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Refused } from "./api/request";
import { router } from "./app/router";
import { SessionGate } from "./app/session";
import { SignIn } from "./app/SignIn";
import { papers, theme } from "./app/theme";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // What is refused is refused; only what passes by itself is asked again.
      retry: (times, error) => error instanceof Refused && error.isPassing && !error.isLate && times < 3,
      refetchOnWindowFocus: true,
    },
  },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <MantineProvider theme={theme} cssVariablesResolver={papers} defaultColorScheme="auto" colorSchemeManager={localStorageColorSchemeManager({ key: "bandejo-scheme" })}>
        <SessionGate signIn={(signedIn, notice) => <SignIn signedIn={signedIn} notice={notice} />}>
          <RouterProvider router={router} />
        </SessionGate>
        <Notifications position="bottom-right" autoClose={6000} />
      </MantineProvider>
    </QueryClientProvider>
  </StrictMode>,
);
