import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** A class as it stands in the page: its component's name before its own, or its folder's for what several there share. */
function scoped(name: string, file: string): string {
  const [sheet = "", folder = ""] = (file.split("?")[0] ?? "").split("/").reverse();
  const owner = sheet.replace(".module.css", "");
  return `${owner === "shared" ? folder : owner}-${name}`;
}

export default defineConfig({
  plugins: [react()],
  css: { modules: { localsConvention: "camelCaseOnly", generateScopedName: scoped } },
  build: { chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8420", ws: true } } },
});
