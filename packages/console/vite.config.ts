import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  root: import.meta.dirname,
  plugins: [react(), tailwindcss()],
  resolve: { conditions: ["@zany/source", "browser", "module", "import", "default"] },
  build: { outDir: "../../dist/console", emptyOutDir: true, chunkSizeWarningLimit: 1600 },
});
