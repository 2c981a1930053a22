import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: 'e2e',
  // One at a time: the tests measure playback, and there are two cores.
  workers: 1,
  fullyParallel: false,
  timeout: 300_000,
  expect: { timeout: 20_000 },
  reporter: [['list']],
  outputDir: 'test-results',
  use: {
    viewport: { width: 1280, height: 800 },
    actionTimeout: 20_000,
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
