import tailwindcss from '@tailwindcss/vite';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  // fonts and pictures stay files of our own: the content policy allows nothing inline
  build: { assetsInlineLimit: 0, target: 'es2022' },
  resolve: { alias: { $lib: '/src/lib', $src: '/src' } },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
});
