import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: { outDir: '../hyalen/web/static', emptyOutDir: true },
  server: { proxy: { '/api': 'http://127.0.0.1:8320' } },
});
