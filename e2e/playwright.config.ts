import { defineConfig } from "@playwright/test";
import { eskadel, place } from "./help";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.ts",
  workers: 1,
  timeout: 180_000, // a slow machine has time enough
  expect: { timeout: 30_000 },
  reporter: [["list"], ["json", { outputFile: `${place}/e2e-report.json` }]],
  globalSetup: "./start.ts",
  outputDir: `${place}/e2e-results`,
  use: {
    baseURL: eskadel,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"],
    },
  },
});
