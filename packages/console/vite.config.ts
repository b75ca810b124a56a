import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const SEEN = /packages\/core\/src\/(formats\/(board|story)|logbook\/words|engine\/values\/json)\.ts$/;

export default defineConfig({
  root: import.meta.dirname,
  plugins: [react(), tailwindcss()],
  resolve: { conditions: ["@zany/source", "browser", "module", "import", "default"] },
  build: {
    outDir: "../../dist/console",
    emptyOutDir: true,
    chunkSizeWarningLimit: 1600,
    rolldownOptions: {
      // What shows a match is small, and must not wait for the language and the checker.
      output: { codeSplitting: { groups: [{ name: "seen", test: SEEN }] } },
    },
  },
});
