/** Makes docs/screenshots from a running demonstration: make demo, then make screenshots. */
import { chromium } from "@playwright/test";

const eskadel = "http://127.0.0.1:8080", yardDesk = "http://localhost:8090", out = "../docs/screenshots/";
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"] });

async function page(options = {}) {
  return (await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options })).newPage();
}
async function author(options) {
  const p = await page(options);
  await p.goto(`${eskadel}/sign-in`);
  await p.fill("#email", "mara.quill@skerrin.example");
  await p.fill("#password", "sail away");
  await p.keyboard.press("Enter");
  await p.waitForURL(`${eskadel}/`);
  return p;
}
const settled = async (where) => {
  await where.waitForSelector(".widget");
  await where.waitForFunction(() => document.querySelectorAll(".widget[aria-busy]").length === 0 && document.querySelector("#line b"));
  await where.waitForTimeout(500);
};

const p = await author();
await p.screenshot({ path: `${out}home.png` });
await p.goto(`${eskadel}/ready-made/work`);
await p.waitForFunction(() => document.querySelectorAll(".ready-preview .widget[data-drawn]").length > 2);
await p.waitForTimeout(1500);
await p.screenshot({ path: `${out}ready-made.png` });
await p.goto(`${eskadel}/data/datasets/yard-jobs`);
await p.waitForSelector("#looked");
await p.screenshot({ path: `${out}data.png` });
await p.goto(`${eskadel}/data/datasets/yard-jobs?part=calculations`);
await p.fill("#c-label", "Cost per hour above 40");
await p.locator("#c-formula").pressSequentially("case when yard_cost / crew_hours > 40 then 'dear' else kind end");
await p.waitForSelector("#c-formula-result tbody tr");
await p.locator("#c-formula").scrollIntoViewIfNeeded();
await p.mouse.wheel(0, 260);
await p.waitForTimeout(500);
await p.screenshot({ path: `${out}formula.png` });
await p.goto(`${eskadel}/data/sources/yard-desk/tables/public.hazard#rules`);
await p.waitForTimeout(500);
await p.screenshot({ path: `${out}rules.png` });
await p.goto(`${eskadel}/charts`);
await p.waitForTimeout(3000);
await p.screenshot({ path: `${out}library.png` });

await p.goto(`${eskadel}/people`);
await p.getByRole("link", { name: "Edda Harrow" }).click();
await p.screenshot({ path: `${out}people.png` });
await p.goto(`${eskadel}/snapshots`);
await p.getByRole("link", { name: "How autumn ended" }).click();
await p.waitForFunction(() => document.querySelectorAll(".drawn-note").length > 1);
await p.waitForTimeout(800);
await p.screenshot({ path: `${out}snapshot.png` });
await p.goto(`${eskadel}/deliveries`);
await p.getByRole("link", { name: "The yards on Monday" }).click();
await p.getByText("What, when and in which form").click();
await p.screenshot({ path: `${out}delivery.png`, fullPage: true });
await p.goto(`${eskadel}/people/hosts/yard-desk/kit?dashboard=yard-today`);
await p.screenshot({ path: `${out}kit.png` });
await p.goto(`${eskadel}/dashboards/yard-today`);
await settled(p);
await p.locator("#w-parts .mark").first().click();
await settled(p);
await p.mouse.move(5, 5);
await p.screenshot({ path: `${out}reading.png` });
await p.locator("#w-cost .chart[tabindex]").focus();
for (const key of ["Home", "ArrowRight", "ArrowRight", "ArrowUp", "r"]) await p.keyboard.press(key);
await p.waitForSelector("#drawer[open] tbody tr");
await p.screenshot({ path: `${out}records.png` });

await p.goto(`${eskadel}/dashboards/gallery`);
await settled(p);
await p.screenshot({ path: `${out}forms.png` });
for (const [tab, file] of [["Tables", "tables"], ["Records", "lists"]]) {
  await p.click(`[data-page="${tab}"]`);
  await p.waitForTimeout(1500);
  await p.screenshot({ path: `${out}${file}.png` });
}

await p.goto(`${eskadel}/charts/edit?dataset=yard-jobs`);
const choose = async (part, ...labels) => {
  await p.click(`[data-part="${part}"]`);
  for (const label of labels) {
    await p.locator(".choice", { hasText: label }).first().click();
    await p.waitForTimeout(700);
  }
};
await choose("measure.0", "Sum of …", "Yard cost");
await choose("grain.0", "month");
await choose("add", "split by …", "Kind");
await choose("form", "stacked columns");
await p.click('[data-part="split"]');
await p.waitForTimeout(900);
await p.screenshot({ path: `${out}chart-editor.png` });

await p.goto(`${eskadel}/dashboards/yard-today/edit`);
await p.waitForTimeout(2500);
await p.locator("#cost .widget-head").getByRole("button", { name: "change" }).click();
await p.waitForTimeout(1500);
await p.evaluate(() => scrollTo(0, 84));
await p.waitForTimeout(300);
await p.screenshot({ path: `${out}dashboard-editor.png` });

const desk = async (words, options) => {
  const d = await page(options);
  await d.goto(`${yardDesk}/sign-in`);
  const lines = await d.locator("#staff option").allTextContents();
  await d.selectOption("#staff", { label: lines.find((l) => l.includes(words)) });
  await d.getByRole("button", { name: "Sign in" }).click();
  const frame = await (await d.waitForSelector("eskadel-dashboard iframe")).contentFrame();
  await settled(frame);
  return d;
};
await (await desk("foreman, Tarn Quay")).screenshot({ path: `${out}yard-desk.png` });
const narrow = await author({ viewport: { width: 390, height: 800 }, colorScheme: "dark" });
await narrow.goto(`${eskadel}/dashboards/yard-today`);
await settled(narrow);
await narrow.screenshot({ path: `${out}narrow-dark.png` });
await browser.close();
