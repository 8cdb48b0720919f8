// What the page has fetched, shared by hooks and by what works outside of them.
import { QueryClient } from "@tanstack/react-query";

export const client = new QueryClient({
  defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1 } },
});
