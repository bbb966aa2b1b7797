import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** In development the API is the running web role's. */
export default defineConfig({
  plugins: [react(), tailwindcss()],
  // the host stays the one that the browser asked: the API refuses what comes from another site
  server: { proxy: { "/api": { target: "http://127.0.0.1:8480", changeOrigin: false } } },
  build: { outDir: "dist", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
});
