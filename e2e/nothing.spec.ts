import { expect, type Page, test } from "@playwright/test";
import { complaints, publish, settled } from "./help";
import { answering, begun, filtering, keyboard, leading, letting, paged, plain, shipped } from "./making";


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

const yard = shipped("yard-today");

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

// From a title to what readers see, with the keyboard alone.
test("Yard today is made from nothing, and published, by the keyboard", async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page);
  await begun(page, "Yard from nothing", yard.answers);
  await paged(page, yard.pages[0].title, keyboard);
  for (const line of lines) await typed(page, line);

  // Its filters: when, where as the viewer's own yard, and which kind.
  const add = filtering(page, keyboard);
  await add("the date of each dataset", "opened", "a year");
  await add("Yard", "at", "their yard");
  await add("Kind", "of");

  // Late starts answer by the day of the start, not by when a job came in.
  await page.locator("#reach summary").press("Enter");
  await answering(page, "opened in the last 12 months, Late starts per month, by yard: Opened", "narrows it, by Started", keyboard);

  // What readers may, and where a month of revenue leads.
  await letting(page, ["ask", "change", "subscribe"], keyboard);
  await leading(page, "Money", ["Revenue per month"], "Yard cost per week, by kind", keyboard);
  await expect(page.locator("#drilling").locator(".ways")).toContainText("From “Revenue per month” to Money: Issued fills “issued”");
  await settled(page);
  await page.reload();
  const made = JSON.parse((await page.getAttribute("#editor", "data-document"))!);
  expect(plain(made)).toEqual(plain(yard));
  await publish(page);
  await settled(page);
  await expect(page.locator("#line")).toContainText("Showing jobs opened in the last 12 months, at any yard, of any kind");
  expect(wrong).toEqual([]);
});
