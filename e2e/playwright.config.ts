import { defineConfig } from '@playwright/test';
import { launch } from './browser';
import { agonal, lindquill } from './servers';

// A hasty hand leaves the shop as it comes: it goes last. Parts may run beside each other,
// each on a shop of its own.
const part = process.env.E2E_PART;
const parts: Record<string, string[]> = {
  kinds: ['kinds', 'sets', 'offers', 'robot'],
  pages: ['access', 'use'],
  results: ['results'], // of a shop with a past
  robot: ['robot'], // by itself, for many visits: `make visits`
  others: ['bench', 'failures', 'files', 'look', 'markup', 'moments', 'own', 'shop', 'walk', 'workbench'],
};
const stories = (part ? parts[part] : [...new Set(Object.values(parts).flat())]).map((name) => `${name}.spec.ts`);
const hasty = 'use.spec.ts';

export default defineConfig({
  testDir: '.',
  projects: process.env.SHOTS
    ? [{ name: 'pictures', testMatch: '*.shots.ts' }]
    : [
        { name: 'stories', testMatch: stories, testIgnore: hasty },
        ...(stories.includes(hasty) ? [{ name: 'use', testMatch: hasty, dependencies: process.env.ALONE ? [] : ['stories'] }] : []),
      ],
  timeout: 150_000,
  expect: { timeout: 20_000 }, // machines are shared, and several parts run at once
  workers: 1, // one shop, one story at a time
  retries: 1, // machines are shared: what passes at the second try is listed as flaky
  reporter: [['list']],
  outputDir: `./results/${part ?? 'all'}`,
  use: {
    launchOptions: launch,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    actionTimeout: 30_000,
    trace: process.env.TRACE ? 'retain-on-failure' : 'off',
    screenshot: 'only-on-failure',
  },
  webServer: {
    command: '../scripts/e2e-server.sh',
    url: `${agonal}/sign-in`,
    timeout: 60_000,
    reuseExistingServer: false,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
    stdout: 'pipe',
    env: { AGONAL_ADDR: new URL(agonal).host, LINDQUILL_ADDR: new URL(lindquill).host },
  },
});
