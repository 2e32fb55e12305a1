import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const site = process.env.CONVOY_ADDRESS ?? "http://127.0.0.1:8460";

// Addresses that are the site's own; everything else is a screen's.
const proxied = { target: site, changeOrigin: true };

export default defineConfig({
  plugins: [react()],
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 700 },
  server: { host: "127.0.0.1", proxy: { "/api": proxied, "/_allauth": proxied } },
});
