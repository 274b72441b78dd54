import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit(), svelteTesting()],
  build: { assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:8180' } },
  test: {
    include: ['src/**/*.test.ts'],
    // As in the browser: its other half speaks to the network by itself.
    alias: {
      'tus-js-client': new URL(import.meta.resolve('tus-js-client').replace('/node/', '/browser/')).pathname,
    },
  },
});
