import { defineConfig } from '@playwright/test';

/** Started by tools/test.mjs, which brings up database, server and worker and says where in TAWNY_BASE. */
export default defineConfig({
  testDir: '.',
  timeout: 240000,
  expect: { timeout: 20000 },
  workers: 1,
  fullyParallel: false,
  // On a machine that does something else a wait can be too short. What passes at the second try only is said at the end of a run, by name.
  retries: 1,
  reporter: [['list'], ['json', { outputFile: process.env.TAWNY_E2E_REPORT ?? 'report.json' }]],
  outputDir: process.env.TAWNY_E2E_OUT ?? 'test-results',
  use: {
    actionTimeout: 20000,
    baseURL: process.env.TAWNY_BASE,
    launchOptions: {
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--use-gl=angle',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
  projects: [
    { name: 'api', testMatch: 'api/*.test.ts' },
    { name: 'phone', testMatch: 'phone/*.test.ts', use: { viewport: { width: 390, height: 844 }, hasTouch: true } },
    {
      name: 'wide',
      testMatch: 'wide/*.test.ts',
      use: { viewport: { width: 1280, height: 800 } },
      dependencies: ['phone'],
    },
    // Wants a demo database that nobody else has written to.
    { name: 'day', testMatch: 'day/*.test.ts', use: { viewport: { width: 390, height: 844 } } },
  ],
});
