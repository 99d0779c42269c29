import tailwindcss from '@tailwindcss/vite';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vite';
import { documents } from './documents.ts';

export default defineConfig({
  // files name each other as they lie, so that the page may stand under any path
  base: './',
  plugins: [documents(), tailwindcss(), svelte()],
  // fonts and pictures stay files of our own: the content policy allows nothing inline
  build: {
    assetsInlineLimit: 0,
    target: 'es2022',
    cssCodeSplit: false,
    rolldownOptions: {
      output: {
        codeSplitting: {
          // what every page begins with, what views share, and each view: each request costs more than what it saves
          groups: [
            { name: 'first', tags: ['$initial'] },
            { name: 'shared', minShareCount: 2 },
          ],
        },
      },
    },
  },
  resolve: {
    alias: {
      $lib: '/src/lib',
      $src: '/src',
      $serif: '/node_modules/.serif',
      $docs: new URL('../docs', import.meta.url).pathname,
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8321' } },
});
