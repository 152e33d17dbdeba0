import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: {
    assetsInlineLimit: 0,
    rolldownOptions: {
      input: ['index.html', 'walk.html'],
      output: {
        advancedChunks: {
          groups: [
            { name: 'three-core', test: /three[\\/]build[\\/]three\.core/ },
            { name: 'three', test: /three[\\/]build/ },
            { name: 'meshopt', test: /meshopt_decoder/ }, // what has it compiles WebAssembly as it is read
            { name: 'three-addons', test: /three[\\/]examples/ },
          ],
        },
      },
    },
  },
});
