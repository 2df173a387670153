import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: { outDir: '../hyalen/web/static', emptyOutDir: true },
  server: { proxy: { '/api': 'http://127.0.0.1:8320' } },
  test: { environment: 'happy-dom', include: ['src/**/*.test.ts'], testTimeout: 60_000 },
  // Runes are compiled for the browser in tests, too.
  resolve: process.env['VITEST'] ? { conditions: ['browser'] } : {},
});
