import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  worker: { format: "es" },
  build: { chunkSizeWarningLimit: 2000 },
  server: { proxy: { "/api": { target: "http://localhost:4870", ws: true } } },
});
