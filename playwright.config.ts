import { defineConfig } from '@playwright/test'

/** Files with tests that measure playback, or play along with it, and want the machine to themselves. */
const MEASURED = /\/(demo|lag|pass|wall)\.spec\.ts$/

/** What a person would wait for at most, ms; longer where others use the machine too. */
const PATIENCE = process.env.CI ? 40_000 : 20_000

export default defineConfig({
  testDir: 'e2e',
  globalSetup: './e2e/setup.ts',
  // One at a time, because there are two cores and playback is measured; `./pendolo test` runs what measures nothing two at a time.
  workers: 1,
  projects: [
    { name: 'measured', testMatch: MEASURED },
    { name: 'unmeasured', testIgnore: MEASURED },
  ],
  fullyParallel: false,
  timeout: 300_000,
  // What passes only at the second try has failed.
  retries: 0,
  expect: { timeout: PATIENCE },
  reporter: [['list']],
  outputDir: 'test-results',
  use: {
    viewport: { width: 1280, height: 800 },
    // A click meets what stands still, on a busy machine too.
    contextOptions: { reducedMotion: 'reduce' },
    actionTimeout: PATIENCE,
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
        '--autoplay-policy=no-user-gesture-required',
      ],
    },
  },
})
