import { QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Toaster } from "sonner";
import { asProblem } from "./api/client";
import { App } from "./app/App";
import { applyTheme } from "./app/theme";
import "./index.css";

applyTheme();
const client = new QueryClient({
  queryCache: new QueryCache({
    // The session ended meanwhile: the page asks to sign in again and keeps its place.
    onError: (error, query) => {
      if (asProblem(error).code === "signed-out" && query.queryKey[0] !== "session") void client.resetQueries({ queryKey: ["session"] });
    },
  }),
  // The server may be on this very computer: what the browser thinks of its network stops nothing, and nothing is
  // resumed unasked.
  defaultOptions: {
    queries: { staleTime: 30_000, retry: 1, refetchOnWindowFocus: true, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});

createRoot(document.getElementById("root")!).render(
  <QueryClientProvider client={client}>
    <BrowserRouter>
      <App />
    </BrowserRouter>
    <Toaster
      position="bottom-left"
      offset={{ bottom: 46, left: 16 }}
      closeButton
      toastOptions={{ className: "!bg-cloth !text-ink !border-warp !rounded-[3px] !font-sans", descriptionClassName: "!text-soft" }}
    />
  </QueryClientProvider>,
);
