import "@fontsource-variable/archivo/standard.css";
import "@fontsource-variable/spline-sans-mono";
import "../styles/app.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { client } from "../api/query-client";
import { openAddress } from "./address";
import { App } from "./app";

openAddress();
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <QueryClientProvider client={client}>
      <App />
    </QueryClientProvider>,
  );
