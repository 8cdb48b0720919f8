import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  test: { environment: "jsdom", testTimeout: 60_000, include: ["tests/**/*.test.{ts,tsx}"] },
  build: { chunkSizeWarningLimit: 1600, rollupOptions: { input: ["index.html", "receiver.html"] } },
  server: { proxy: { "/api": "http://127.0.0.1:4680" } },
});
