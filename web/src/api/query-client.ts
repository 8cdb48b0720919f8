// What the page has fetched, shared by hooks and by what works outside of them.
import { QueryClient } from "@tanstack/react-query";

export const client = new QueryClient({
  // One that failed says so and is asked again on request, not by whoever comes to show that it failed.
  defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1, retryOnMount: false } },
});
