/**
 * Frame times of the dashboard editor with forty widgets, while one is dragged and while a
 * sentence is typed, against a running demonstration: node e2e/frames.mjs
 */
import { chromium } from "@playwright/test";

const eskadel = process.env.ESKADEL ?? "http://127.0.0.1:8080";
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
const p = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await p.goto(`${eskadel}/sign-in`);
await p.fill("#email", "edda.harrow@skerrin.example");
await p.fill("#password", "sail away");
await p.keyboard.press("Enter");
await p.waitForURL((u) => !u.pathname.includes("sign-in"));
await p.goto(`${eskadel}/dashboards/yard-today/edit`);
const base = JSON.parse(await p.getAttribute("#editor", "data-document")), of = base.pages[0].widgets;
const widgets = Array.from({ length: 40 }, (_, i) => ({ id: `w${i}`, at: [(i % 3) * 4, Math.floor(i / 3) * 5, 4, 5], chart: of[i % of.length].chart }));
const made = await p.request.put(`${eskadel}/api/v1/dashboards/forty`, { data: { ...base, name: "forty", title: "Forty", pages: [{ title: "P", widgets }] }, headers: { "X-CSRF-Token": await p.getAttribute("body", "data-csrf"), "If-Match": "*" } });
if (!made.ok()) throw new Error(await made.text());
await p.goto(`${eskadel}/dashboards/forty/edit`);
await p.waitForFunction(() => document.querySelectorAll("#editor .widget").length === 40 && document.querySelectorAll("[aria-busy]").length === 0);
await p.evaluate(() => {
  window.frameTimes = [];
  let last = performance.now();
  const frame = (t) => {
    window.frameTimes.push(t - last);
    last = t;
    requestAnimationFrame(frame);
  };
  requestAnimationFrame(frame);
});
/** @param {string} what */
async function tell(what) {
  const all = (await p.evaluate(() => window.frameTimes.splice(0).slice(1))).sort((a, b) => a - b);
  console.log(`${what}: ${all.length} frames, median ${all[all.length >> 1].toFixed(1)} ms, 95 % within ${all[Math.floor(all.length * 0.95)].toFixed(1)} ms, longest ${all.at(-1).toFixed(1)} ms`);
}
const at = await p.locator("#w0 h2").boundingBox();
await p.mouse.move(at.x + 20, at.y + 8);
await p.mouse.down();
await p.evaluate(() => window.frameTimes.splice(0));
for (let i = 0; i < 60; i++) await p.mouse.move(at.x + 20 + i * 8, at.y + 8 + i * 3);
await tell("dragging");
await p.mouse.up();
await p.locator("#w4 .widget-head").getByRole("button", { name: "change" }).click();
await p.locator("#type-it").click();
await p.evaluate(() => window.frameTimes.splice(0));
await p.locator("#typed-line").pressSequentially("yard cost by month split by kind", { delay: 30 });
await tell("typing");
const token = await p.getAttribute("body", "data-csrf");
await p.request.delete(`${eskadel}/api/v1/dashboards/forty`, { headers: { "X-CSRF-Token": token, "If-Match": "*" } });
await browser.close();
