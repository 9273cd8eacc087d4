import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "dist", assetsInlineLimit: 0, chunkSizeWarningLimit: 1500 },
});
