import { defineConfig } from '@playwright/test';
import { launch } from './browser';
import { agonal, lindquill } from './servers';

// A hasty hand leaves the shop as it comes: it goes last. Half of the tests may run
// beside the other half, each on a shop of its own.
const half = process.env.E2E_HALF;
const ofKinds = ['kinds.spec.ts', 'sets.spec.ts', 'offers.spec.ts', 'robot.spec.ts', 'workbench.spec.ts', 'own.spec.ts', 'files.spec.ts'];
const stories = { '': '*.spec.ts', kinds: ofKinds, others: '*.spec.ts' }[half ?? ''];
const use = { name: 'use', testMatch: 'use.spec.ts', dependencies: process.env.ALONE ? [] : ['stories'] };

export default defineConfig({
  testDir: '.',
  projects: process.env.SHOTS
    ? [{ name: 'pictures', testMatch: '*.shots.ts' }]
    : [{ name: 'stories', testMatch: stories, testIgnore: ['use.spec.ts', ...(half === 'others' ? ofKinds : [])] }, ...(half === 'kinds' ? [] : [use])],
  timeout: 150_000,
  expect: { timeout: 20_000 }, // machines are shared, and both halves run at once
  workers: 1, // one shop, one story at a time
  retries: 1, // machines are shared: what passes at the second try is listed as flaky
  reporter: [['list']],
  outputDir: `./results/${half ?? 'all'}`,
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
