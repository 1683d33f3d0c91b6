import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
	base: "./", // the server says under which path it is reached
	plugins: [react(), tailwind()],
	server: { proxy: { "/api": "http://127.0.0.1:8080" } },
	build: { chunkSizeWarningLimit: 1024 },
});
