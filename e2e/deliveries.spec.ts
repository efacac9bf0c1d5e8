import { execFileSync } from "node:child_process";
import { expect, test } from "@playwright/test";
import { builder, complaints, dashboardFrame, eskadel, letter, noSeriousProblem, post, settled, signIn, yardDeskAs } from "./help";

/** What a browser complains of, but for what was refused as it was to be. */
const refused = (wrong: string[]) => wrong.filter((w) => !/status of 4(03|09|22)/.test(w));

// An author has a dashboard delivered as she looks at it, by the keyboard; tries it, says who else gets it, and sees
// what came of it. What her letter holds is seen as its reader sees it.
test("an author has a dashboard delivered", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  await page.locator("[data-mails]").press("Enter");
  const popover = page.locator("#popover");
  await expect(popover).toContainText("The yards on Monday every Monday at 07:00, on the working day after if that is a holiday");
  await noSeriousProblem(page, "by mail", "#popover");
  await popover.getByRole("link", { name: "have it delivered" }).press("Enter");
  await page.waitForURL(/deliveries\/new/);
  await page.getByLabel("What its letters are called").fill("Month's end");
  await page.getByLabel("How often").selectOption("month");
  await page.getByLabel("Which").selectOption("last");
  await page.getByLabel("Day", { exact: true }).selectOption("working day");
  await expect(page.locator(".delivery-words")).toContainText("on the last working day of each month at 07:00: next 30 Nov 2026, 07:00, 31 Dec 2026, 07:00");
  await page.getByLabel("parts of it").press("Space");
  await page.getByLabel("Late starts", { exact: true }).press("Space");
  await expect(page.getByLabel("What its letters are called")).toHaveValue("Month's end");
  await page.getByLabel("a PDF", { exact: true }).press("Space");
  await page.getByLabel("others who see the dashboard may sign themselves up").press("Space");
  await noSeriousProblem(page, "a new delivery");
  await page.getByRole("button", { name: "Make it" }).press("Enter");
  await expect(page.getByRole("heading", { name: "Month's end" })).toBeVisible();

  await page.getByLabel("Also to").pressSequentially("Mara");
  await page.getByRole("option", { name: /Mara Quill/ }).waitFor();
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: "Add them" }).press("Enter");
  await expect(page.getByRole("status").first()).toHaveText("Mara Quill gets it.");
  await page.getByLabel("or to an address outside").fill("someone@elsewhere.example");
  await page.keyboard.press("Enter");
  await expect(page.locator(".wrong")).toContainText("Nothing may be sent to someone@elsewhere.example");
  await page.getByRole("button", { name: "try it" }).press("Enter");
  await expect(page.locator("#history-place")).toContainText("Edda Harrow: sent", { timeout: 20_000 });
  await noSeriousProblem(page, "a delivery");

  const reader = await browser.newPage();
  const unread = complaints(reader);
  await reader.goto(post);
  await reader.getByRole("link", { name: "Trial: Month's end, 18 Nov 2026" }).click();
  await expect(reader.locator("dl")).toContainText("month-s-end.pdf");
  const html = reader.frameLocator("iframe");
  await expect(html.locator(".part").first()).toContainText("Jobs under way");
  await expect(html.locator(".part", { hasText: "Late starts" })).toHaveCount(1); // that along time, and not the figures
  const [paper] = await Promise.all([reader.waitForEvent("download"), reader.getByRole("link", { name: "month-s-end.pdf" }).click()]);
  const printed = execFileSync("pdftotext", ["-layout", await paper.path(), "-"]).toString();
  expect(printed).toContain("Jobs by part group");
  expect(printed).not.toContain("days late, on average");
  await expect(html.getByRole("link", { name: "Look at it in Eskadel" })).toHaveAttribute("href", new RegExp(`^${eskadel}/dashboards/yard-today`));
  for (const img of await html.locator("img").all()) {
    await expect.poll(() => img.evaluate((i) => (i as HTMLImageElement).naturalWidth)).toBe(960);
    expect(await img.getAttribute("alt")).toMatch(/\d/);
  }
  expect(unread.filter((w) => !w.includes("404"))).toEqual([]);
  await page.goto("/deliveries");
  await expect(page.locator("li", { hasText: "Month's end" })).toContainText("to Edda Harrow, Mara Quill");
  await noSeriousProblem(page, "deliveries");
  await page.getByRole("link", { name: "Month's end" }).press("Enter");
  await page.getByRole("button", { name: "remove this delivery" }).press("Enter");
  await expect(page.locator("li", { hasText: "Month's end" })).toHaveCount(0);
  expect(refused(wrong)).toEqual([]);
});

// A foreman signs up in Yard Desk, gets what is his, and ends it by the link in his letter.
test("a foreman signs up in the host app, and leaves by his letter", async ({ page, browser }) => {
  const wrong = complaints(page);
  await yardDeskAs(page, "foreman");
  const frame = await dashboardFrame(page);
  const all = await frame.locator("#line b").first().textContent();
  await frame.locator("[data-mails]").click();
  await frame.getByRole("button", { name: "sign up for The yards on Monday" }).click();
  await expect(frame.locator("#popover")).toContainText("You get it.");

  const authors = await (await browser.newContext({ baseURL: eskadel })).newPage();
  await signIn(authors);
  await authors.goto("/deliveries");
  await authors.getByRole("link", { name: "The yards on Monday" }).click();
  const him = authors.locator("li", { hasText: "signed up" });
  const name = (await him.locator("span").first().textContent())!.replace("signed up", "").trim();
  await authors.getByRole("button", { name: "send it now" }).click();
  await expect(authors.locator("#history-place")).toContainText(`${name}: sent`, { timeout: 30_000 });
  await expect(authors.locator("#history-place")).toContainText("the channel Yards: sent");
  const text = await letter(page, `to ${name.toLowerCase().replace(" ", ".")}`);
  expect(text).toContain(`: ${all} of the`);

  const reader = await (await browser.newContext()).newPage();
  await reader.goto(/http\S+\/letters\/leave\/\S+/.exec(text)![0]);
  await noSeriousProblem(reader, "leaving");
  await reader.getByRole("button", { name: "No more of it" }).press("Enter");
  await expect(reader.getByRole("status").first()).toHaveText("You get no more of it.");
  await reader.goto(`${post}/chat`);
  await expect(reader.locator("article").first()).toContainText("Jobs under way");
  await authors.reload();
  await expect(him).toContainText("wants no more of it");
  expect(wrong).toEqual([]);
});

// A builder says where letters may go, what channels there are, and which days are holidays.
test("a builder looks after the ways", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/deliveries/ways");
  await page.getByLabel("Allow").fill("not a domain");
  await page.keyboard.press("Enter");
  await expect(page.locator(".wrong")).toContainText("neither an address");
  await page.getByLabel("Allow").fill("pilots@firth.example");
  await page.keyboard.press("Enter");
  await expect(page.locator("li", { hasText: "pilots@firth.example" })).toContainText("allowed by Mara Quill");
  await page.getByRole("button", { name: "no more letters to pilots@firth.example" }).press("Enter");
  await page.getByLabel("A channel called").fill("Slips");
  await page.getByLabel("with a webhook at").fill("https://chat.example/hooks/slips");
  await page.keyboard.press("Enter");
  await expect(page.locator(".found code")).toHaveText(/^[\w-]{43}$/);
  await noSeriousProblem(page, "ways");
  await page.getByRole("button", { name: "remove the channel Slips" }).press("Enter");
  await page.getByLabel("Holidays called").fill("Regatta");
  await page.getByLabel("from the file of a calendar").setInputFiles({ name: "days.ics", mimeType: "text/calendar", buffer: Buffer.from("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20260808\r\nRRULE:FREQ=YEARLY;COUNT=3\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n") });
  await page.getByRole("button", { name: "Read it" }).press("Enter");
  await expect(page.locator("li", { hasText: "Regatta" })).toContainText("3 days");
  await page.getByRole("button", { name: "remove the calendar Skerrin" }).press("Enter");
  await expect(page.locator(".wrong")).toContainText("“The yards on Monday” goes by this calendar");
  await page.getByRole("button", { name: "remove the calendar Regatta" }).press("Enter");
  await page.goto("/deliveries/work");
  await expect(page.getByRole("heading", { name: "Just now" })).toBeVisible();
  await noSeriousProblem(page, "what is done by itself");
  expect(refused(wrong)).toEqual([]);
});

/** Asks Yard Desk's database. */
const sql = (text: string) => execFileSync("psql", [`postgres://postgres@127.0.0.1:${process.env.ESKADEL_PG_PORT}/yarddesk?sslmode=disable`, "-qAtc", text]).toString().trim();

// An author has a figure watched, by the keyboard, and is told when it is above a line: in Eskadel, by letter, and by
// nothing once she snoozes it. On a busy day the demonstration's own alert tells the chat.
test("an alert tells what happens", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  await page.locator("#w-open").getByRole("button", { name: "words" }).press("Enter");
  await page.locator("#popover").getByRole("link", { name: "watch it" }).press("Enter");
  await page.waitForURL(/alerts\/new/);
  await page.getByLabel("What it is called").fill("Too few");
  await page.getByLabel("When", { exact: true }).selectOption("is below");
  await page.getByRole("button", { name: "Watch it" }).press("Enter");
  await expect(page.locator(".wrong")).toContainText("is no number");
  await page.getByLabel("Number").fill("100000");
  await page.getByLabel("tell it", { exact: true }).selectOption("after 1 hour");
  await page.getByLabel("with the words").fill("Call the yards.");
  await noSeriousProblem(page, "a new alert");
  await page.getByRole("button", { name: "Watch it" }).press("Enter");
  await expect(page.getByRole("heading", { name: "Too few" })).toBeVisible();
  await expect(async () => {
    await page.reload();
    await expect(page.locator("#history-place")).toContainText(/Jobs under way is below 100000: [\d,]+, since 18 Nov 2026, 14:23\..*Edda Harrow: sent/s, { timeout: 1000 });
  }).toPass({ timeout: 30_000 });
  await noSeriousProblem(page, "an alert");
  expect(await letter(page, "edda.harrow@")).toContain("You are told of this by an alert that Edda Harrow keeps.");
  await page.goto("/notices");
  await expect(page.locator("li", { hasText: "Too few" }).first()).toContainText("Jobs under way is below 100000");
  await page.locator("li", { hasText: "Too few" }).first().getByRole("button", { name: "look" }).press("Enter");
  await page.waitForURL(/dashboards\/yard-today\?page=Today/);
  await page.goto("/deliveries/alerts");
  await noSeriousProblem(page, "alerts");
  await page.getByRole("link", { name: "Too few" }).press("Enter");
  await page.getByRole("button", { name: "a day" }).press("Enter");
  await expect(page.locator(".state")).toHaveText("Snoozed until 19 Nov 2026, 14:23.");
  await page.getByRole("button", { name: "remove this alert" }).press("Enter");
  await page.waitForURL(/deliveries\/alerts$/);

  const chat = await browser.newPage();
  const told = chat.locator("article", { hasText: "A busy day" });
  sql(`insert into yard_job (id, title, yard_id, kind, part_group, part, urgency, status, opened_at, vessel_id, team_id)
    select 900000000 + n, title, yard_id, kind, part_group, part, urgency, 'open', '2026-11-18 10:00Z', vessel_id, team_id from yard_job, generate_series(1, 10) n where id = (select min(id) from yard_job)`);
  try {
    await expect(async () => {
      await chat.goto(`${post}/chat`);
      await expect(told.last()).toContainText(/Jobs under way is above \d+: \d+, since/, { timeout: 1000 });
    }).toPass({ timeout: 30_000 });
  } finally {
    sql("delete from yard_job where id > 900000000");
  }
  await expect(async () => {
    await chat.reload();
    await expect(told.first()).toContainText("Jobs under way no longer is above", { timeout: 1000 });
  }).toPass({ timeout: 30_000 });
  expect(refused(wrong)).toEqual([]);
});
