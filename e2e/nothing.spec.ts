import { readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
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
  `The Yard jobs with Job, Boat, Yard, Status, Promised and Yard cost, only where Status is one of “open”, “waiting for parts” or “in hand”, as a list of records, titled “Jobs under way”`,
];

const shipped = JSON.parse(readFileSync(new URL("../demo/documents/dashboards/yard-today.json", import.meta.url), "utf8"));

/** A document without what is called so or placed so by chance; what speaks of a widget says which it is. */
function plain(d: any) {
  const place = (id: string) => d.pages[0].widgets.findIndex((w: any) => w.id === id);
  const numbers = (v: any): any => Array.isArray(v) ? v.map(numbers) : v && typeof v === "object" ? Object.fromEntries(Object.entries(v).map(([k, w]) => [k, numbers(w)])) : typeof v === "number" ? String(v) : v;
  return numbers({
    answers: d.answers,
    viewers_may: d.viewers_may,
    filters: d.filters.map(({ name, ...f }: any) => f),
    charts: d.pages[0].widgets.map(({ id, at, ...w }: any) => w),
    drill_through: d.drill_through.map(({ name, from, ...t }: any) => ({ ...t, from: from.map(place) })),
  });
}

// From a title to what readers see, with the keyboard alone.
test("Yard today is made from nothing, and published, by the keyboard", async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards");
  const key = (k: string) => page.keyboard.press(k);
  await page.locator("#title").focus();
  await page.keyboard.type("Yard from nothing");
  await Promise.all([page.waitForURL(/yard-from-nothing\/edit/), key("Enter")]);
  const kept = (path: string) => page.waitForResponse((r) => r.url().endsWith(path) && r.ok());
  await page.locator("#answers").focus();
  await page.keyboard.type(shipped.answers);
  await Promise.all([kept("/draft"), key("Tab")]);

  for (const line of lines) {
    await page.locator("#add summary").focus();
    await key("Enter");
    await page.locator("[data-add=chart]").focus();
    await Promise.all([kept("/add"), key("Enter")]);
    await page.locator("#panel .phrase").first().waitFor();
    await page.locator("#panel .phrase").first().focus();
    await key("s"); // just beginning to type
    await page.locator("#typed-line").fill(line);
    await expect(page.locator("#typed-read .understood"), line).toBeVisible();
    await expect(page.locator("#typed-read .unknown"), line).toHaveCount(0);
    await Promise.all([kept("/draft"), key("Enter")]);
    await expect(page.locator("#typed")).toBeHidden();
    await key("Escape");
  }

  // Its filters: when, where as the viewer's own yard, and which kind.
  const composing = page.locator("#line");
  const add = async (name: string, called: string, begins: () => Promise<unknown>) => {
    await composing.getByRole("button", { name: "+ narrow by" }).press("Enter");
    await composing.locator(".choice", { hasText: name }).first().focus();
    await Promise.all([kept("/filters"), key("Enter")]);
    await expect(composing.locator("#filter-label")).toBeFocused();
    if ((await composing.locator("#filter-label").inputValue()) !== called) {
      await composing.locator("#filter-label").fill(called);
      await Promise.all([kept("/filters"), key("Tab")]);
      await expect(composing.locator(".choices-head")).toContainText(called);
    }
    await begins();
    await composing.locator("#filter-label").focus();
    await key("Escape");
    await expect(composing.locator("form")).toHaveCount(0);
  };
  await add("the date of each dataset", "opened", async () => {
    await composing.locator("[data-begins]").press("Enter");
    await page.locator("#last").fill("12");
    await page.locator("#last-unit").selectOption("month");
    await Promise.all([kept("/filters"), page.locator("#last").press("Enter")]);
  });
  await add("Yard", "at", async () => {
    await composing.locator("[data-begins]").press("Enter");
    await page.locator("#popover").getByRole("button", { name: "the viewer's yard" }).focus();
    await Promise.all([kept("/filters"), key("Enter")]);
  });
  await add("Kind", "of", async () => {});

  // Late starts answer by the day of the start, not by when a job came in.
  const reach = page.locator("#reach");
  await reach.locator("summary").press("Enter");
  await reach.getByRole("button", { name: "opened in the last 12 months, Late starts per month, by yard: Opened" }).press("Enter");
  await page.locator("#popover").getByRole("button", { name: "narrows it, by Started" }).focus();
  await Promise.all([kept("/reach/change"), key("Enter")]);

  // What readers may, and where a month of revenue leads.
  await page.locator("#readers summary").press("Enter");
  await page.locator("#readers input[value=ask]").focus();
  await Promise.all([kept("/draft"), key("Space")]);
  const drill = page.locator("#drilling");
  await drill.locator("summary").press("Enter");
  await drill.getByRole("button", { name: "+ lead through to another place" }).focus();
  await Promise.all([kept("/drilling/change"), key("Enter")]);
  await Promise.all([kept("/drilling/change"), drill.getByLabel("to", { exact: true }).selectOption({ label: "Money" })]);
  await drill.getByRole("checkbox", { name: "Revenue per month" }).focus();
  await Promise.all([kept("/drilling/change"), key("Space")]);
  await expect(drill.getByRole("checkbox", { name: "Revenue per month" })).toBeChecked();
  await drill.getByRole("checkbox", { name: "Yard cost per week, by kind" }).focus();
  await Promise.all([kept("/drilling/change"), key("Space")]);
  await expect(drill.locator(".ways")).toContainText("From “Revenue per month” to Money: Issued fills “issued”");
  await settled(page);
  await page.reload();
  const made = JSON.parse((await page.getAttribute("#editor", "data-document"))!);
  expect(plain(made)).toEqual(plain(shipped));
  await publish(page);
  await settled(page);
  await expect(page.locator("#line")).toContainText("Showing jobs opened in the last 12 months, at any yard, of any kind");
  expect(wrong).toEqual([]);
});
