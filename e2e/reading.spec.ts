import { readFileSync } from "node:fs";
import { createServer } from "node:http";
import { expect, test, type Frame, type Page } from "@playwright/test";
import { complaints, dashboardFrame, eskadel, noSeriousProblem, settled, signIn, yardDesk, yardDeskAs } from "./help";

const line = (frame: Frame | Page) => frame.locator("#line");

/** Moves to a mark of a chart by the keyboard. */
async function toMark(page: Page, frame: Frame | Page, widget: string, keys: string[]) {
  await frame.locator(`#w-${widget} .chart[tabindex]`).focus();
  for (const key of keys) await page.keyboard.press(key);
}

const spoken = (frame: Frame | Page, widget: string) => frame.locator(`#w-${widget} [role=option]`).textContent();

test("a foreman sees their own yard, narrows, proves and lifts", async ({ page }) => {
  const wrong = complaints(page);
  const all = new Set<string>();
  page.on("request", (r) => r.url().startsWith(eskadel) && all.add(new URL(r.url()).pathname));
  await yardDeskAs(page, "foreman, Tarn Quay");
  const frame = await dashboardFrame(page), asked = [...all];
  // Page, script, token with the sheet, widget: four one after another until the first mark.
  expect(asked.filter((p) => p.endsWith(".js") && p.startsWith("/static/")).join()).toMatch(/^\/static\/reading\/frame-[0-9a-f]{10}\.js$/);
  expect(asked.filter((p) => p.endsWith(".css"))).toHaveLength(1);
  expect(asked.filter((p) => p.endsWith("/sheet"))).toEqual([]);
  await settled(frame);
  await expect(line(frame)).toContainText("at Tarn Quay");
  await expect(line(frame)).toContainText("at your yard");
  await expect(frame.locator("#w-jobs tbody")).toContainText("Tarn Quay");
  for (const other of ["Ravel Point", "Ostrey", "Hollin Creek", "Marrow Bay"]) await expect(frame.locator("body")).not.toContainText(other);
  await noSeriousProblem(page, "Yard Desk with the dashboard");

  // A click on a segment narrows the others; the line says it; Escape lifts it.
  const before = await line(frame).textContent();
  await frame.locator("#w-parts .mark").first().click();
  await expect(line(frame)).toContainText(/part group \w+/);
  await expect(frame.locator("#w-parts .mark.faded").first()).toBeVisible();
  await settled(frame);
  await expect(frame.locator("#w-jobs .widget-head")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(line(frame)).toHaveText(before!);

  // By keyboard: a mark of the stacked columns, drawn whole again, then its records.
  await settled(frame);
  await toMark(page, frame, "cost", ["Home", "ArrowRight", "ArrowRight", "ArrowUp"]);
  const [value] = (await spoken(frame, "cost"))!.split(", kind");
  await page.keyboard.press("Space");
  await expect(line(frame)).toContainText("week of");
  await page.keyboard.press("r");
  await expect(frame.locator("#drawer h2")).toContainText(`sum of Yard cost ${value}`);
  await expect(frame.locator("#drawer tfoot")).toContainText(value);
  await noSeriousProblem(page, "records drawer");
  await page.keyboard.press("Escape");
  await expect(frame.locator("#drawer")).toBeHidden();
  await page.keyboard.press("Escape");
  await expect(line(frame)).toHaveText(before!);
  expect(wrong).toEqual([]);
});

test("the drawer proves a count, an average and Others, and opens a record in Yard Desk", async ({ page }) => {
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await settled(frame);
  const cell = async (row: string, column: number) => {
    const button = frame.locator("#w-crews tr", { has: frame.locator("th", { hasText: row }) }).locator(".cell").nth(column);
    const text = (await button.textContent())!;
    await button.click();
    await expect(frame.locator("#drawer")).toBeVisible();
    return text;
  };
  const count = await cell("Others", 0);
  await expect(frame.locator("#drawer h2")).toContainText(`${count} jobs`);
  await page.keyboard.press("Escape");
  const average = await cell("Others", 2);
  await expect(frame.locator("#drawer tfoot")).toContainText(average);
  await frame.getByRole("button", { name: "further" }).click();
  await expect(frame.locator("#drawer .pager")).toContainText("page 2 of");
  await frame.locator("#drawer").getByRole("button", { name: "Job", exact: true }).click();
  await expect(frame.locator("#drawer th[aria-sort=ascending]")).toContainText("Job");
  const title = await frame.locator("#drawer a.record").first().textContent();
  await frame.locator("#drawer a.record").first().click();
  await page.waitForURL(/\/jobs\/\d+$/);
  await expect(page.locator("h1")).toContainText(title!);
});

test("filters: dates and values are set in the reading line", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  await page.getByRole("button", { name: "opened in the last 12 months" }).click();
  await page.getByRole("button", { name: "this quarter" }).click();
  await expect(line(page)).toContainText("opened this quarter");
  await page.getByRole("button", { name: "opened this quarter" }).click();
  await page.getByLabel("or write it").fill("soon");
  await page.getByLabel("or write it").press("Enter");
  await expect(page.locator("#popover .wrong")).toContainText("“soon” is no range of dates");
  await page.getByLabel("or write it").fill("last 3 weeks");
  await page.getByLabel("or write it").press("Enter");
  await expect(line(page)).toContainText("opened in the last 3 weeks");
  // In the month: a day and another, a week, and by the keyboard over the month's end.
  await page.getByRole("button", { name: "opened in the last 3 weeks" }).click();
  await expect(page.locator(".month .today")).toHaveAttribute("aria-label", /^18 November 2026, \d+ jobs$/);
  await noSeriousProblem(page, "the month of a filter of dates", "#popover");
  await page.getByRole("button", { name: /^12 November 2026/ }).click();
  await expect(page.locator("[data-month-hint]")).toContainText("From 12 November 2026: now its last day.");
  await page.getByRole("button", { name: /^3 November 2026/ }).click();
  await expect(line(page)).toContainText("opened from 3 Nov 2026 to 12 Nov 2026");
  await page.getByRole("button", { name: "opened from 3 Nov" }).click();
  await page.getByRole("button", { name: "The month before" }).press("Enter");
  await expect(page.getByRole("button", { name: "The month before" })).toBeFocused();
  await page.getByRole("button", { name: "Week 42" }).click();
  await expect(line(page)).toContainText("opened from 12 Oct 2026 to 18 Oct 2026");
  await page.getByRole("button", { name: "opened from 12 Oct" }).click();
  await expect(page.getByRole("button", { name: /^12 October 2026/ })).toHaveAttribute("tabindex", "0"); // the month of what is set
  await page.locator(".month [tabindex='0']").press("Enter");
  for (const [key, day] of [["ArrowDown", "19 October"], ["ArrowDown", "26 October"], ["ArrowDown", "2 November"], ["ArrowRight", "3 November"]]) {
    await page.keyboard.press(key);
    await expect(page.getByRole("button", { name: new RegExp(`^${day} 2026`) })).toBeFocused();
  }
  await page.keyboard.press("Enter");
  await expect(line(page)).toContainText("opened from 12 Oct 2026 to 3 Nov 2026");
  await page.getByRole("button", { name: "at any yard" }).click();
  await page.getByLabel("Find a value").fill("ost");
  await page.getByRole("checkbox", { name: "Ostrey" }).check();
  await page.getByRole("button", { name: "Set", exact: true }).click();
  await expect(line(page)).toContainText("at Ostrey");
  await settled(page);
  await expect(page.locator("#w-jobs tbody")).not.toContainText("Tarn Quay");
  await page.getByRole("button", { name: "standard view" }).click();
  await expect(line(page)).toContainText("at any yard");
  // One chart alone, by the keyboard: the others and what is counted stay.
  await settled(page);
  const counted = await line(page).locator("b").allTextContents(), late = await page.locator("#w-starts .mark").count();
  await page.locator("#w-starts [data-do=narrow]").press("Enter");
  await noSeriousProblem(page, "what one chart may be narrowed by", "#popover");
  await page.locator("#popover").getByRole("button", { name: "at any yard" }).press("Enter");
  await page.getByRole("checkbox", { name: "Ostrey" }).check();
  await page.getByRole("button", { name: "Set", exact: true }).press("Enter");
  await expect(line(page)).toContainText("in “Late starts per month, by yard”: at Ostrey");
  await settled(page);
  await expect(page.locator("#w-starts .widget-notes")).toContainText("This chart alone: at Ostrey.");
  expect(await page.locator("#w-starts .mark").count()).toBeLessThan(late);
  expect(await line(page).locator("b").allTextContents()).toEqual(counted);
  await page.reload();
  await settled(page);
  await line(page).getByRole("button", { name: "Lift in “Late starts per month, by yard”: at Ostrey" }).press("Enter");
  await expect(line(page)).not.toContainText("in “Late");
  await settled(page);
  expect(await page.locator("#w-starts .mark").count()).toBe(late);
  await page.locator("#w-cost").hover();
  await page.locator("#w-cost [data-do=words]").click();
  await expect(page.locator("#popover")).toContainText("Sum of Yard cost of Yard jobs, per week of Opened, split by Kind");
  await noSeriousProblem(page, "words", "#popover");
});

test("a job edited in Yard Desk changes the dashboard in a second browser", async ({ page, browser }) => {
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await settled(frame);
  let loads = 0;
  page.on("framenavigated", () => loads++);
  const address = (await frame.locator("#w-jobs a.record").first().getAttribute("data-record"))!;
  const was = await frame.locator("#w-open .figure b").first().textContent();
  const other = await (await browser.newContext()).newPage();
  await yardDeskAs(other, "director");
  await other.goto(yardDesk + address);
  await other.getByLabel("Status").selectOption("handed back");
  const started = Date.now();
  await other.getByRole("button", { name: "Save" }).click();
  await expect(frame.locator("#w-open .figure b").first()).not.toHaveText(was!);
  console.log(`the change was seen after ${Date.now() - started} ms`);
  await expect(frame.locator(`#w-jobs a[data-record="${address}"]`)).toHaveCount(0);
  expect(loads, "without reload").toBe(0);
});

test("seven dashboards in seven tabs all draw and stay live, over HTTP/1.1", async ({ page, context, browser }) => {
  const tabs = [page];
  while (tabs.length < 7) tabs.push(await context.newPage());
  const heard = tabs.map(() => 0);
  tabs.forEach((tab, i) => tab.on("websocket", (s) => s.on("framereceived", ({ payload }) => { if (String(payload).includes('"changed"')) heard[i]++; })));
  await yardDeskAs(page, "director");
  await Promise.all(tabs.map((tab) => tab.goto(yardDesk)));
  const frames = await Promise.all(tabs.map((tab) => dashboardFrame(tab)));
  await Promise.all(frames.map((frame) => settled(frame)));
  const address = (await frames[0].locator("#w-jobs a.record").first().getAttribute("data-record"))!;
  const other = await (await browser.newContext()).newPage();
  await yardDeskAs(other, "director");
  await other.goto(yardDesk + address);
  await other.getByLabel("Status").selectOption("handed back");
  await other.getByRole("button", { name: "Save" }).click();
  for (const frame of frames) await expect(frame.locator(`#w-jobs a[data-record="${address}"]`)).toHaveCount(0);
  expect(heard.filter((n) => n > 0), "by a web socket each").toHaveLength(7);
  // None of them keeps the others from asking.
  await frames[6].locator("#w-open [data-do=words]").press("Enter");
  await expect(frames[6].locator("#popover")).toContainText("Records read");
});

test("it works where third-party cookies are blocked, and leaves none", async ({ playwright }) => {
  const browser = await playwright.chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--test-third-party-cookie-phaseout"] });
  const context = await browser.newContext();
  const page = await context.newPage();
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await expect(frame.locator("#fresh")).toContainText("live");
  expect((await context.cookies()).filter((c) => c.domain.includes("127.0.0.1"))).toEqual([]);
  expect(await frame.evaluate(() => {
    try {
      return localStorage.length + sessionStorage.length;
    } catch {
      return 0; // the browser keeps nothing for the frame at all
    }
  })).toBe(0);
  await browser.close();
});

test("when the viewer's stay ends, a new pass is asked for without notice", async ({ page }) => {
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await settled(frame);
  let refused = 0, passes = 0;
  page.on("request", (r) => { if (r.url().endsWith("/eskadel-pass")) passes++; });
  await page.route("**/view/yard-today/widgets/open", async (r) => {
    if (refused++ === 0) await r.fulfill({ status: 401, contentType: "application/problem+json", body: '{"detail":"The viewer pass has expired."}' });
    else await r.continue();
  });
  await frame.locator("#line").getByRole("button", { name: "opened in the last 12 months" }).click();
  await frame.getByRole("button", { name: "this year", exact: true }).click();
  await expect(line(frame)).toContainText("opened this year");
  await settled(frame);
  expect(refused).toBe(2);
  expect(passes).toBe(1);
  await expect(frame.locator("#w-open .figure").first()).toBeVisible();
});

test("refused passes and foreign pages are told in the page", async ({ page }) => {
  await yardDeskAs(page, "director");
  await dashboardFrame(page);
  const say = async (pass: () => Promise<string>, dashboard = "yard-today") => {
    const text = await pass();
    await page.route("**/eskadel-pass", (r) => r.fulfill({ body: text }));
    await page.goto(`${yardDesk}/?dashboard=${dashboard}`);
    const words = await page.locator("eskadel-dashboard").getByRole("alert").textContent();
    await page.unroute("**/eskadel-pass");
    return words;
  };
  const good = async () => (await page.request.get(`${yardDesk}/eskadel-pass`)).text();
  expect(await say(async () => (await good()).slice(0, -4) + "AAAA")).toContain("not signed with a key");
  expect(await say(good, "gallery")).toContain("not for this dashboard");
  // A page of an origin that is not registered holds the frame.
  const foreign = createServer((_, r) => r.setHeader("Content-Type", "text/html").end(`<script src="${eskadel}/embed.js"></script><eskadel-dashboard app="yard-desk" name="yard-today" pass-url="/p"></eskadel-dashboard>`));
  await new Promise<void>((ready) => foreign.listen(18099, "127.0.0.1", ready));
  await page.goto("http://localhost:18099/");
  await expect(page.getByRole("alert")).toContainText("Pages of http://localhost:18099 may not show Eskadel");
  foreign.closeAllConnections();
  foreign.close();
});

test("one widget on its own, a narrow screen, and the weight of the first visit", async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 390, height: 800 } });
  const page = await context.newPage();
  const wrong = complaints(page);
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await settled(frame);
  const ready = await frame.evaluate(() => performance.now());
  console.log(`the embedded dashboard is drawn and answers ${Math.round(ready)} ms after its frame begins to load, on the first visit`);
  let weight = 0; // with that of the frame of the figures in the page's sentences
  for (const f of page.frames().slice(1)) weight += await f.evaluate(() => performance.getEntriesByType("resource").concat(performance.getEntriesByType("navigation")).reduce((sum, e) => sum + (e as PerformanceResourceTiming).transferSize, 0));
  console.log(`the embedded dashboard weighs ${Math.round(weight / 1000)} kB, compressed, on the first visit`);
  expect(weight).toBeGreaterThan(100_000);
  expect(weight).toBeLessThan(450_000);
  expect(await frame.evaluate(() => document.documentElement.scrollWidth <= innerWidth), "nothing sticks out").toBe(true);
  await page.evaluate(() => {
    const one = document.createElement("eskadel-dashboard");
    for (const [k, v] of Object.entries({ app: "yard-desk", name: "yard-today", widget: "parts", "pass-url": "/eskadel-pass", id: "single" })) one.setAttribute(k, v);
    document.querySelector("main")!.prepend(one);
  });
  const single = (await (await page.waitForSelector("#single iframe")).contentFrame())!;
  await single.waitForSelector("#w-parts[data-drawn]");
  expect(await single.locator(".widget").count()).toBe(1);
  expect(wrong).toEqual([]);
  await context.close();
});

test("a viewer in the host app asks of the dashboard, asks on and sees the records", async ({ page }) => {
  await yardDeskAs(page, "foreman, Tarn Quay");
  const frame = await dashboardFrame(page);
  await frame.getByLabel("Ask of what this shows").fill("jobs by kind");
  await frame.getByLabel("Ask of what this shows").press("Enter");
  await expect(frame.locator("[data-asked] .answer-words")).toContainText("in all: most for");
  await expect(frame.locator("[data-asked-chart] svg.drawing")).toBeVisible();
  await frame.getByLabel("Ask of what this shows").fill("only rework for zebras");
  await frame.getByLabel("Ask of what this shows").press("Enter");
  await expect(frame.locator("[data-asked] mark")).toContainText("zebras");
  await frame.getByLabel("Ask of what this shows").fill("only rework");
  await frame.getByLabel("Ask of what this shows").press("Enter");
  await expect(frame.locator("[data-asked]")).toContainText("Kind is “rework”");
  await noSeriousProblem(page, "an answer on the dashboard");
  await frame.locator("[data-asked-chart] .chart[tabindex]").focus();
  await page.keyboard.press("Home");
  await page.keyboard.press("r");
  await expect(frame.locator("#drawer tbody tr").first()).toBeVisible();
  await page.keyboard.press("Escape");
  await frame.getByRole("button", { name: "close the answer" }).click();
  await expect(frame.locator("[data-asked]")).toBeHidden();
});

// What can be done with a mark, by keyboard and mouse; a view has an address that opens it again.
test("marks are left out, drilled into and led through, and every view is found again", async ({ page, browser }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await page.waitForSelector("#w-parts[data-drawn]");
  await settled(page);
  const whole = await line(page).textContent();
  const menu = page.locator("#popover");
  await toMark(page, page, "parts", ["Home", "m"]);
  await expect(menu).toContainText("part group engine");
  await noSeriousProblem(page, "the menu of a mark", "#popover");
  await menu.getByRole("button", { name: "leave this out" }).press("Enter");
  await expect(line(page)).toContainText("without part group engine");
  await settled(page);
  expect(await spoken(page, "parts")).not.toContain("engine");
  await page.getByRole("button", { name: "Lift without part group engine" }).click();
  await expect(line(page)).toHaveText(whole!);
  await settled(page);

  // Down by Enter, further by the menu into a field beside the path, up by Backspace.
  const trail = page.locator("#w-parts .trail");
  await toMark(page, page, "parts", ["Home"]);
  const [engine] = (await spoken(page, "parts"))!.split(", part group engine");
  await page.keyboard.press("Enter");
  await expect(trail).toHaveText("All › part group engine, by Part");
  await settled(page);
  const parts = await page.locator("#w-parts [data-label]").allTextContents();
  expect(parts.reduce((sum, text) => sum + Number(text.replace(/\D/g, "")), 0), "the parts make the whole").toBe(Number(engine.replace(/\D/g, "")));
  await expect(line(page)).toContainText("part group engine");
  await noSeriousProblem(page, "a chart that is drilled into");
  await page.locator("#w-parts .mark").first().click({ button: "right" });
  await menu.getByText("drill into another field").click();
  await menu.getByRole("button", { name: "Yard", exact: true }).click();
  await expect(trail).toContainText(", by Yard");
  await expect(trail.getByRole("button")).toHaveText(["All", "part group engine"]);
  await settled(page);

  // The address opens it again: after a reload, for somebody else, and by back and forward.
  await expect(page).toHaveURL(/view=[\w-]{16}$/);
  const address = page.url(), said = await line(page).textContent();
  await page.reload();
  await expect(trail).toContainText(", by Yard");
  await expect(line(page)).toHaveText(said!);
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "mara.quill@skerrin.example");
  await other.goto(address);
  await expect(other.locator("#w-parts .trail")).toContainText(", by Yard");
  await other.goto(address.replace(/view=.*/, "view=nothing-like-this"));
  await expect(other.locator(".warn").first()).toContainText("something that this dashboard no longer has");
  await page.goBack();
  await expect(trail).toHaveText("All › part group engine, by Part");
  await page.goForward();
  await expect(trail).toContainText(", by Yard");
  await settled(page);
  await page.locator("#w-parts .chart[tabindex]").focus();
  await page.keyboard.press("Backspace");
  await expect(trail).toHaveText("All › part group engine, by Part");
  await settled(page);
  await page.keyboard.press("Backspace");
  await expect(trail).toHaveCount(0);
  await expect(line(page)).toHaveText(whole!);

  // A double click drills too; a row of a table chooses, and is chosen again after a reload.
  await settled(page);
  await page.locator("#w-parts .mark").nth(1).dblclick();
  await expect(trail).toContainText("All › part group hull");
  await page.getByRole("button", { name: "standard view" }).click();
  await expect(line(page)).toHaveText(whole!);
  await settled(page);
  const row = page.locator("#w-crews .row-name").first(), crew = await row.textContent();
  await row.focus();
  await page.keyboard.press("Space");
  await expect(row).toHaveAttribute("aria-pressed", "true");
  await expect(line(page)).toContainText(`crew ${crew}`);
  await noSeriousProblem(page, "a chosen row");
  await expect(page).toHaveURL(/view=/);
  await page.reload();
  await expect(row).toHaveAttribute("aria-pressed", "true");
  await settled(page);

  // Why a figure changed: what its parts add, which lead to their records, and back.
  await page.getByRole("button", { name: "Why invoiced, net changed" }).press("Enter");
  const drawer = page.locator("#drawer"), why = drawer.locator(".why");
  await expect(drawer.locator("h2")).toContainText(/^Invoiced, net: [+−]£[\d,.]+, from £/);
  await expect(why.locator(".why-says")).not.toBeEmpty();
  await noSeriousProblem(page, "why a figure changed", "#drawer");
  const figure = why.locator("tbody .cell").first(), text = await figure.textContent();
  await figure.press("Enter");
  await expect(drawer.locator("tfoot .total")).toContainText(text!);
  await drawer.getByRole("button", { name: "‹ back" }).press("Enter");
  await expect(why.locator("tbody .cell").first()).toHaveText(text!);
  await page.keyboard.press("Escape");
  // How it comes about, on one screen and as a file.
  await toMark(page, page, "parts", ["Home", "r"]);
  await drawer.getByRole("button", { name: "how it comes about" }).press("Enter");
  await expect(drawer.locator(".proof")).toContainText("part group is engine", { ignoreCase: true });
  await noSeriousProblem(page, "how a figure comes about", "#drawer");
  const [file] = await Promise.all([page.waitForEvent("download"), drawer.getByRole("button", { name: "save as a proof" }).press("Enter")]);
  expect(JSON.parse(readFileSync(await file.path(), "utf8")).proof.each.length).toBeGreaterThan(100);
  await drawer.getByRole("button", { name: "‹ back" }).press("Enter");
  await expect(drawer.locator("h2")).toContainText("part group engine");
  await page.keyboard.press("Escape");
  await page.locator("#w-parts .mark").first().click();
  await page.locator("#w-parts .mark").nth(1).click({ modifiers: ["Shift"] });
  await page.locator("#w-parts .chart[tabindex]").focus();
  await page.keyboard.press("m");
  await menu.getByRole("button", { name: "why the two differ" }).click();
  await expect(drawer.locator("h2")).toContainText(/^Number of jobs: \S+, from \S+ \(part group \w+\) to \S+ \(part group \w+\)$/);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await settled(page);

  // A table and a list are sorted by their headings, as the address says too; one widget as large as the window.
  await page.locator("#w-crews thead button", { hasText: "Jobs" }).press("Enter");
  await expect(page.locator("#w-crews th[aria-sort=descending]")).toContainText("Jobs");
  await page.locator("#w-jobs thead button", { hasText: "Promised" }).press("Enter");
  await expect(page.locator("#w-jobs th[aria-sort=ascending]")).toContainText("Promised");
  await settled(page);
  const counts = (await page.locator("#w-crews tbody tr").evaluateAll((rows) => rows.filter((r) => !r.textContent?.includes("Others")).map((r) => Number(r.querySelector(".cell")?.textContent?.replace(/\D/g, "")))));
  expect(counts).toEqual([...counts].sort((a, b) => b - a));
  await noSeriousProblem(page, "sorted tables");
  await page.locator("#w-parts [data-do=large]").press("Enter");
  await expect(page.locator("#w-parts")).toHaveCSS("position", "fixed");
  await expect.poll(async () => (await page.locator("#w-parts svg.drawing").boundingBox())!.width).toBeGreaterThan(1000);
  await page.keyboard.press("Escape");
  await expect(page.locator("#w-parts")).not.toHaveCSS("position", "fixed");
  // Records by chosen columns, and as a file.
  await toMark(page, page, "parts", ["Home", "r"]);
  await drawer.locator(".columns summary").press("Enter");
  await drawer.getByRole("checkbox", { name: "Job", exact: true }).press("Space");
  await expect(drawer.locator("thead th").first()).not.toHaveText("Job");
  await drawer.getByRole("button", { name: "Started earlier" }).press("Enter");
  await expect(drawer.locator("thead th").nth(1)).toHaveText("Started");
  await noSeriousProblem(page, "records by chosen columns", "#drawer");
  await page.context().grantPermissions(["clipboard-read", "clipboard-write"]);
  await drawer.getByRole("button", { name: "copy these" }).press("Enter");
  await expect(page.locator("#said")).toHaveText(/^Copied: \d+ records of this page\.$/);
  expect((await page.evaluate(() => navigator.clipboard.readText())).split("\n")[0]).toMatch(/^Opened\tStarted\tPromised\t/);
  await drawer.locator("select[name=kind]").selectOption("csv");
  const [csv] = await Promise.all([page.waitForEvent("download"), drawer.getByRole("button", { name: "save these records" }).press("Enter")]);
  expect(readFileSync(await csv.path(), "utf8").split("\n")[0]).toMatch(/^Opened,Started,Promised,/);
  await page.keyboard.press("Escape");

  // A chart as a picture, saved and copied; the page as a workbook.
  const popover = page.locator("#popover");
  await page.locator("#w-cost").getByRole("button", { name: "words" }).press("Enter");
  await popover.getByRole("button", { name: "take away …" }).press("Enter");
  await expect(popover.getByRole("heading")).toHaveText(/^Take away “Yard cost/);
  await noSeriousProblem(page, "taking away", "#popover");
  await popover.getByLabel("dark").press("Space");
  const [picture] = await Promise.all([page.waitForEvent("download"), popover.getByRole("button", { name: "save the picture" }).press("Enter")]);
  expect(readFileSync(await picture.path()).subarray(1, 4).toString()).toBe("PNG");
  expect(picture.suggestedFilename()).toBe("yard-cost-per-week-by-kind.png");
  await popover.getByRole("button", { name: "copy it" }).press("Enter");
  await expect(page.locator("#said")).toHaveText("The picture is copied.");
  expect(await page.evaluate(async () => (await navigator.clipboard.read())[0].types)).toEqual(["image/png"]);
  await page.keyboard.press("Escape");
  await page.locator("[data-take-page]").press("Enter");
  await popover.getByLabel("Late starts", { exact: true }).press("Space");
  const [book] = await Promise.all([page.waitForEvent("download"), popover.getByRole("button", { name: "save as XLSX" }).press("Enter")]);
  expect(book.suggestedFilename()).toBe("yard-today.xlsx");
  await noSeriousProblem(page, "taking a page away", "#popover");
  const [paper] = await Promise.all([page.waitForEvent("download"), popover.getByRole("button", { name: "save it" }).press("Enter")]);
  expect(readFileSync(await paper.path()).subarray(0, 5).toString()).toBe("%PDF-");
  expect(paper.suggestedFilename()).toBe("yard-today.pdf");
  await page.keyboard.press("Escape");

  // Through to another dashboard, and back to exactly this.
  const here = await line(page).textContent();
  await toMark(page, page, "money", ["Home", "ArrowRight"]);
  await page.keyboard.press("m");
  await menu.getByRole("button", { name: "go to Money" }).click();
  await page.waitForURL(/dashboards\/money/);
  await page.waitForSelector("#line b");
  await expect(line(page)).toContainText(/issued (from )?1 \w+/);
  await page.getByRole("link", { name: "back to Yard today" }).click();
  await page.waitForURL(/yard-today/);
  await expect(line(page)).toHaveText(here!);
  expect(wrong).toEqual([]);
});

test("in the host app its own address keeps the view, through a record and back", async ({ page }) => {
  await yardDeskAs(page, "foreman, Tarn Quay");
  let frame = await dashboardFrame(page);
  await settled(frame);
  await frame.locator("#w-parts .mark").first().click();
  await expect(line(frame)).toContainText(/part group \w+/);
  const said = await line(frame).textContent();
  await expect(page).toHaveURL(/look=[\w-]{16}/);
  await settled(frame);
  await frame.locator("#w-jobs a.record").first().click();
  await page.waitForURL(/jobs\/\d+/);
  await page.goBack();
  frame = await dashboardFrame(page);
  await expect(line(frame)).toHaveText(said!);
  await settled(frame);
  await expect(frame.locator("#w-parts .mark.chosen")).toHaveCount(1);
});

// What somebody does who has neither mouse nor picture: they hear which yard started latest last month,
// ask why, and open the worst job.
test("by keyboard and by what a screen reader is told alone: which yard starts latest, why, and its worst job", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await expect(page.getByRole("heading", { level: 1, name: "Yard today" })).toBeVisible();
  await settled(page);
  // The chart says what it is and what it shows; the mark at the keyboard says itself, and where it stands.
  const chart = page.getByRole("listbox", { name: /^Late starts per month, by yard\. \d+ marks\. Largest: / });
  const mark = chart.getByRole("option");
  const at = async (series: number) => {
    await chart.focus();
    for (const key of ["Home", ...Array(10).fill("ArrowRight"), ...Array(series).fill("ArrowUp")]) await page.keyboard.press(key);
    return (await mark.innerText()).trim();
  };
  const heard: { late: number; words: string; series: number }[] = [];
  for (let series = 0; series < 5; series++) {
    const words = await at(series);
    heard.push({ late: Number(words.split(", ")[0]), words, series });
  }
  const [worst, next] = heard.sort((a, b) => b.late - a.late);
  expect(worst.words).toContain("Tarn Quay");
  await at(worst.series);
  await expect(mark).toHaveAttribute("aria-setsize", "60");
  await expect(mark).toHaveAttribute("aria-posinset", String(worst.series * 12 + 11));
  await page.keyboard.press("Space");
  await settled(page);
  await at(next.series);
  await page.keyboard.press("Shift+Space");
  await settled(page);
  await at(worst.series);
  await page.keyboard.press("m");
  await page.getByRole("button", { name: "why the two differ" }).press("Enter");
  const drawer = page.getByRole("dialog", { name: "Records behind a mark" }), heads = drawer.getByRole("heading", { level: 2 });
  await expect(heads).toContainText(`${worst.late - next.late}`);
  await expect(heads).toBeFocused();
  await page.keyboard.press("Escape");
  await at(worst.series);
  await page.keyboard.press("r");
  await expect(heads).toContainText(`${worst.late} jobs`);
  const heading = drawer.getByRole("button", { name: /^Days late at start/ });
  await heading.press("Enter");
  const column = drawer.getByRole("columnheader", { name: "Days late at start" });
  await expect(column).toHaveAttribute("aria-sort", "ascending");
  await heading.press("Enter");
  await expect(column).toHaveAttribute("aria-sort", "descending");
  const [desk] = await Promise.all([page.waitForEvent("popup"), drawer.getByRole("table").getByRole("link").first().press("Enter")]);
  await desk.waitForURL(/\/(jobs\/\d+|sign-in)/);
  expect(wrong).toEqual([]);
});
