import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { complaints, publish, settled, signIn } from "./help";


/** The sentences of Yard today in its order, with what is called otherwise than it would be. */
const lines = [
  `Number of jobs of those where Status is one of “open”, “waiting for parts” or “in hand” and number of jobs of those where Status is “waiting for parts” of Yard jobs, as key figures, titled “Jobs under way”; measure 1 called “jobs under way”; measure 2 called “waiting for parts”`,
  `Number of jobs of those where Days late at start is between 1 and 365 and average of Days late at start of those where Days late at start is between 1 and 365 of Yard jobs, as key figures, titled “Late starts”; measure 1 called “jobs started late”; measure 2 called “days late, on average”; measure 2 written “0.0”`,
  `Sum of Net amount and sum of Margin of Invoice lines, compared with the year before, as key figures, titled “Revenue”; measure 1 called “invoiced, net”; measure 1 written “compact”; measure 2 called “margin”; measure 2 written “compact”`,
  `Sum of Yard cost of Yard jobs, per week of Opened, split by Kind, the largest 4 with others together, as stacked columns`,
  `Number of jobs of Yard jobs, by Part group, in order of number of jobs, largest first, as bars, titled “Jobs by part group”`,
  `Number of jobs of those where Days late at start is above 0 of Yard jobs, per month of Started, split by Yard, as a line, titled “Late starts per month, by yard”; measure 1 called “Late starts”`,
  `Sum of Net amount of Invoice lines, per month of Issued, against the plan sum of Planned of “Plan by month” called “Plan”, as columns, titled “Revenue per month”`,
  `Number of jobs and sum of Crew hours and average of Yard cost and median of Crew hours of Yard jobs, by Crew, the largest 8 with others together, as a table, titled “Hours and cost by crew”; measure 1 called “Jobs”; measure 3 called “Yard cost per job”; measure 4 called “Median hours”`,
  `The Yard jobs with Job, Boat, Yard, Status, Promised and Yard cost, only where Status is one of “open”, “waiting for parts” or “in hand”, as a list of records, titled “Jobs under way”; changing Status by “foreman”, “rigger” and “director”; changing Yard cost by “foreman” and “director”`,
];

const shipped = JSON.parse(readFileSync(new URL("../demo/documents/dashboards/yard-today.json", import.meta.url), "utf8"));

/** Numbers as the texts that they may stand for too. */
const numbers = (v: any): any => Array.isArray(v) ? v.map(numbers) : v && typeof v === "object" ? Object.fromEntries(Object.entries(v).map(([k, w]) => [k, numbers(w)])) : typeof v === "number" ? String(v) : v;

/** A document without what is called so or placed so by chance; what speaks of a widget says which it is. */
function plain(d: any) {
  const all = d.pages.flatMap((p: any) => p.widgets);
  const filters = Object.fromEntries(d.filters.map((f: any, i: number) => [f.name, i]));
  const by = (to: any) => to && Object.fromEntries(Object.entries(to).map(([k, v]) => [filters[k] ?? k, v]));
  return numbers({
    answers: d.answers,
    viewers_may: d.viewers_may,
    filters: d.filters.map(({ name, ...f }: any) => f),
    pages: d.pages.map((p: any) => [p.title, p.widgets.map(({ id, at, answers_to, ...w }: any) => ({ ...w, answers: by(answers_to) }))]),
    drill_through: (d.drill_through ?? []).map(({ name, from, fill, ...t }: any) => ({ ...t, fill: Object.fromEntries(Object.entries(fill).map(([k, v]) => [k, filters[v as string] ?? v])), from: from.map((id: string) => all.findIndex((w: any) => w.id === id)) })),
  });
}

/** Adds a chart and types its sentence, with the keyboard alone. */
async function typed(page: Page, line: string) {
  const kept = (path: string) => page.waitForResponse((r) => r.url().endsWith(path) && r.ok());
  await page.locator("#add summary").focus();
  await page.keyboard.press("Enter");
  await page.locator("[data-add=chart]").focus();
  await Promise.all([kept("/add"), page.keyboard.press("Enter")]);
  await page.locator("#panel .phrase").first().focus();
  await page.keyboard.press("s"); // just beginning to type
  await page.locator("#typed-line").fill(line);
  await expect(page.locator("#typed-read .understood"), line).toBeVisible();
  await expect(page.locator("#typed-read .unknown"), line).toHaveCount(0);
  await Promise.all([kept("/draft"), page.keyboard.press("Enter")]);
  await expect(page.locator("#typed")).toBeHidden();
  await page.keyboard.press("Escape");
}

/** Makes a dashboard with a title, and what it answers, with the keyboard alone. */
async function begun(page: Page, title: string, answers: string) {
  await signIn(page);
  await page.goto("/dashboards");
  await page.locator("#title").focus();
  await page.keyboard.type(title);
  await Promise.all([page.waitForURL(/-from-nothing\/edit/), page.keyboard.press("Enter")]);
  await page.locator("#answers").focus();
  await page.keyboard.type(answers);
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), page.keyboard.press("Tab")]);
}

/** Names the page, with the keyboard alone. */
async function paged(page: Page, title: string) {
  await page.locator(".page-fold summary").press("Enter");
  await page.locator("#page-title").fill(title);
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/pages") && r.ok()), page.locator("#page-title").press("Enter")]);
  await page.locator(".page-fold summary").press("Enter");
}

/** Adds filters, names them and says what they begin with, with the keyboard alone. */
function filtering(page: Page) {
  const composing = page.locator("#line");
  const kept = () => page.waitForResponse((r) => r.url().endsWith("/filters") && r.ok());
  return async (name: string, called: string, begins?: "a year" | "their yard") => {
    await composing.getByRole("button", { name: "+ narrow by" }).press("Enter");
    await composing.locator(".choice", { hasText: name }).first().focus();
    await Promise.all([kept(), page.keyboard.press("Enter")]);
    await expect(composing.locator("#filter-label")).toBeFocused();
    if ((await composing.locator("#filter-label").inputValue()) !== called) {
      await composing.locator("#filter-label").fill(called);
      await Promise.all([kept(), page.keyboard.press("Tab")]);
      await expect(composing.locator(".choices-head")).toContainText(called);
    }
    if (begins) await composing.locator("[data-begins]").press("Enter");
    if (begins === "a year") {
      await page.locator("#last").fill("12");
      await page.locator("#last-unit").selectOption("month");
      await Promise.all([kept(), page.locator("#last").press("Enter")]);
    } else if (begins) {
      await page.locator("#popover").getByRole("button", { name: "the viewer's yard" }).focus();
      await Promise.all([kept(), page.keyboard.press("Enter")]);
    }
    await composing.locator("#filter-label").focus();
    await page.keyboard.press("Escape");
    await expect(composing.locator("form")).toHaveCount(0);
  };
}

/** Leads from the marks of charts through to a place, not from the first that is proposed, with the keyboard alone. */
async function leading(page: Page, to: string, from: string[], first: string) {
  const drill = page.locator("#drilling");
  const kept = () => page.waitForResponse((r) => r.url().endsWith("/drilling/change") && r.ok());
  await drill.locator("summary").press("Enter");
  await drill.getByRole("button", { name: "+ lead through to another place" }).focus();
  await Promise.all([kept(), page.keyboard.press("Enter")]);
  await Promise.all([kept(), drill.getByLabel("to", { exact: true }).selectOption({ label: to })]);
  const ways = drill.locator(".ways"); // which are shown anew after each change, and then say it
  await expect(ways).toContainText(`to ${to}`);
  for (const [name, on] of [...from.map((n) => [n, true] as const), [first, false] as const]) { // one is always chosen
    const box = drill.getByRole("checkbox", { name, exact: true });
    await box.focus();
    await Promise.all([kept(), page.keyboard.press("Space")]);
    if (on) await expect(ways).toContainText(`“${name.replace(/, Year$/, "")}”`);
    else await expect(ways).not.toContainText(`“${name.replace(/, Year$/, "")}”`);
  }
}

/** Has a widget answer a filter otherwise, with the keyboard alone. */
async function answering(page: Page, cell: string, choice: string) {
  await page.locator("#reach").getByRole("button", { name: cell }).press("Enter");
  await page.locator("#popover").getByRole("button", { name: choice }).focus();
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/reach/change") && r.ok()), page.keyboard.press("Enter")]);
}

// From a title to what readers see, with the keyboard alone.
test("Yard today is made from nothing, and published, by the keyboard", async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page);
  await begun(page, "Yard from nothing", shipped.answers);
  await paged(page, shipped.pages[0].title);
  for (const line of lines) await typed(page, line);

  // Its filters: when, where as the viewer's own yard, and which kind.
  const add = filtering(page);
  await add("the date of each dataset", "opened", "a year");
  await add("Yard", "at", "their yard");
  await add("Kind", "of");

  // Late starts answer by the day of the start, not by when a job came in.
  await page.locator("#reach summary").press("Enter");
  await answering(page, "opened in the last 12 months, Late starts per month, by yard: Opened", "narrows it, by Started");

  // What readers may, and where a month of revenue leads.
  await page.locator("#readers summary").press("Enter");
  for (const may of ["ask", "change"]) {
    await page.locator(`#readers input[value=${may}]`).focus();
    await Promise.all([page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), page.keyboard.press("Space")]);
  }
  await leading(page, "Money", ["Revenue per month"], "Yard cost per week, by kind");
  await expect(page.locator("#drilling").locator(".ways")).toContainText("From “Revenue per month” to Money: Issued fills “issued”");
  await settled(page);
  await page.reload();
  const made = JSON.parse((await page.getAttribute("#editor", "data-document"))!);
  expect(plain(made)).toEqual(plain(shipped));
  await publish(page);
  await settled(page);
  await expect(page.locator("#line")).toContainText("Showing jobs opened in the last 12 months, at any yard, of any kind");
  expect(wrong).toEqual([]);
});

/** The sentences of Money, page by page. */
const money = [[
  `Sum of Net amount and sum of Margin and Margin in percent of Invoice lines, compared with the year before, against the plan sum of Planned of “Plan by month” called “Plan”, as key figures, titled “Revenue”; measure 1 called “invoiced, net”; measure 1 written “compact”; measure 2 called “margin”; measure 2 written “compact”; measure 3 called “margin in percent”; with small lines`,
  `Sum of Net amount as a running total within each year of Invoice lines, by month of year of Issued, split by Issued per year, only where Issued in the last 3 years, as a line, titled “This year over the last ones, running”`,
  `Sum of Net amount of Invoice lines, per month of Issued, compared with the year before, against the plan sum of Planned of “Plan by month” called “Plan”, as columns, titled “Revenue per month, plan and year before”`,
  `Sum of Net amount of Invoice lines, beside sum of Quoted value of Refit enquiries by its Opened, per month of Issued, as columns and lines, titled “Revenue beside the enquiries that will become it”; measure 1 called “Revenue”; measure 2 called “Quoted in refit enquiries”; measures drawn as “columns”, “line”`,
  `Sum of Net amount and Margin in percent and number of invoice lines of Invoice lines, by Service, as a scatter, titled “Revenue and margin of services”; measure 1 called “Revenue”; measure 2 called “Margin in percent”; measure 3 called “Lines”`,
], [
  `Sum of Net amount and Margin in percent of Invoice lines, by Service line, by Service, split by Yard, as a pivot, titled “Services, by yard”; measure 1 written “0”; measure 1 called “Revenue”; measure 2 called “Margin”; cells of measure 1 with a bar; cells of measure 2 coloured in “poor” as “▼” and from 0.3 in “plain” and from 0.45 in “good” as “▲”`,
  `Sum of Net amount of Invoice lines, by Customer, the largest 12, only where Days overdue is filled, as bars, titled “Overdue, by customer”; measure 1 called “Owed”`,
  `The Invoice lines with Invoice, Customer, Net amount, Due, Days overdue and Yard, in order of Days overdue, last first, the first 100, only where Days overdue is filled, as a list of records, titled “What is overdue the longest”; repeated cells merged`,
]];

// Money has two pages, a plan, another dataset beside, cells with rules, filters and a way between its pages.
test("Money is made from nothing by the keyboard", async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page);
  const of = JSON.parse(readFileSync(new URL("../demo/documents/dashboards/money.json", import.meta.url), "utf8"));
  const kept = (path: string) => page.waitForResponse((r) => r.url().endsWith(path) && r.ok());
  await begun(page, "Money from nothing", of.answers);
  for (const [i, lines] of money.entries()) {
    if (i > 0) await Promise.all([kept("/pages"), page.locator("#pages .adding").press("Enter")]);
    await paged(page, of.pages[i].title);
    for (const line of lines) await typed(page, line);
  }
  const add = filtering(page);
  await add("Issued", "issued", "a year");
  await add("Yard", "at", "their yard");
  await add("Service line", "for");
  // What is overdue is overdue whenever it was issued, and the years lie over each other whole.
  await page.locator("#reach summary").press("Enter");
  for (const chart of ["Overdue, by customer", "What is overdue the longest"]) await answering(page, `issued in the last 12 months, ${chart}: Issued`, "does nothing to it");
  await page.locator("#pages button", { hasText: "Year" }).press("Enter");
  await answering(page, "issued in the last 12 months, This year over the last ones, running: Issued", "does nothing to it");
  await leading(page, "the page Detail", ["Revenue per month, plan and year before, Year", "Revenue beside the enquiries that will become it, Year"], "This year over the last ones, running, Year");
  await settled(page);
  await page.reload();
  const made = JSON.parse((await page.getAttribute("#editor", "data-document"))!);
  expect(plain(made)).toEqual(plain(of));
  expect(wrong).toEqual([]);
});
