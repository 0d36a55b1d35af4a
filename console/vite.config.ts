import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react()],
  build: {
    target: 'es2022',
    // What the console ships is named with its licences; the service gives the file at /licences.txt.
    license: { fileName: 'licences.txt' },
    // The content policy allows no data: fonts.
    assetsInlineLimit: 0,
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [{ name: 'react', test: /node_modules\/(react|react-dom|react-router|scheduler)\// }],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
  test: {
    environment: 'jsdom',
    setupFiles: ['./src/test-setup.ts'],
    globals: true,
    testTimeout: 60_000,
    // Modules are read once for all files, which takes a quarter of the time.
    isolate: false,
    maxWorkers: 2,
    slowTestThreshold: 1000,
  },
});
