import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [svelte()],
  resolve: { conditions: ['browser'] }, // runes as they run in the window
  test: { include: ['src/**/*.test.ts'], environment: 'node' },
});
