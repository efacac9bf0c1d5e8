import { expect, test, type Frame, type Locator, type Page } from "@playwright/test";
import { complaints, copied, noSeriousProblem, publish, settled, signIn, yardDesk, yardDeskAs } from "./help";

const list = (where: Page | Frame) => where.locator("#w-list");
const told = (where: Page | Frame) => list(where).locator(".changed-line");

/** The field of the first record, and its button. */
const cell = (row: Locator, field: string) => row.locator(`[data-change=${field}]`);

/** Changes a field by the keyboard: opens it, chooses, and sends it. */
async function choose(page: Page, where: Page | Frame, row: Locator, field: string, value: string) {
  await cell(row, field).press("Enter");
  const to = where.locator("#change-to");
  await expect(to).toBeFocused();
  await to.selectOption(value);
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
}

test("a foreman puts hazards right where they are listed, by the keyboard, is told why not, and undoes it", async ({ page }) => {
  const wrong = complaints(page);
  await yardDeskAs(page, "foreman, Tarn Quay");
  await page.goto(`${yardDesk}/?dashboard=hazards`);
  await page.waitForSelector("eskadel-dashboard iframe");
  const frame = (await (await page.$("eskadel-dashboard iframe"))!.contentFrame())!;
  await frame.waitForSelector("#w-list [data-change]");
  await settled(frame);
  const key = await list(frame).locator("tr[data-key]").first().getAttribute("data-key");
  const row = list(frame).locator(`tr[data-key='${key}']`), title = (await row.locator("td").first().innerText()).trim();
  await expect(cell(row, "title")).toHaveCount(0);

  const before = (await cell(row, "safeguards").innerText()).trim(), to = before === "untested" ? "missing" : "untested";
  await choose(page, frame, row, "safeguards", to);
  await expect(told(frame)).toContainText(`Safeguards of “${title}”: “${before}” → “${to}”.`);
  await expect(cell(row, "safeguards")).toHaveText(to);
  await expect(cell(row, "safeguards"), "the keyboard is where it was").toBeFocused();

  // The application's own trigger refuses, in its own words, at the cell; what was chosen is still there.
  await choose(page, frame, row, "status", "closed");
  await expect(frame.locator(".change-form .wrong")).toContainText(`A hazard is closed only once its safeguards are tested: those of “${title}” are ${to}.`);
  await expect(frame.locator("#change-to")).toHaveValue("closed");
  await noSeriousProblem(page, "a change that is refused");
  await page.keyboard.press("Escape");
  await expect(cell(row, "status")).not.toHaveText("closed");
  await expect(cell(row, "status")).toBeFocused();

  // The drawer of the record says what was changed, and takes it back.
  await row.locator("[data-one-record]").press("Enter");
  const drawer = frame.locator("#drawer");
  await expect(drawer.locator("h2")).toHaveText(title);
  await expect(drawer.locator(".changes li").first()).toContainText(`Safeguards “${before}” → “${to}”`);
  await noSeriousProblem(page, "the drawer of a record");
  await drawer.locator(".changes [data-undo]").first().press("Enter");
  await expect(told(frame)).toContainText(`Undone: Safeguards of “${title}”: “${to}” → “${before}”.`);
  await expect(drawer.locator("[data-change=safeguards]")).toHaveText(before);
  await expect(drawer.locator(".changes li").first()).toContainText("undone by");
  await page.keyboard.press("Escape");
  await expect(drawer).toBeHidden();
  await expect(cell(row, "safeguards")).toHaveText(before);
  expect(wrong.filter((w) => !w.includes("422"))).toEqual([]);

  // Jobs are changed by asking Yard Desk, whose own page has it then.
  await page.goto(`${yardDesk}/`);
  const jobs = (await (await page.waitForSelector("eskadel-dashboard iframe")).contentFrame())!;
  await jobs.waitForSelector("#w-jobs [data-change]");
  const job = jobs.locator("#w-jobs tr[data-key]").first(), id = JSON.parse((await job.getAttribute("data-key"))!)[0];
  await cell(job, "yard_cost").click();
  await jobs.locator("#change-to").fill("1234.5");
  await page.keyboard.press("Enter");
  await expect(jobs.locator("#w-jobs .changed-line")).toContainText("→ “£1,234.50”");
  const other = await page.context().newPage();
  await other.goto(`${yardDesk}/jobs/${id}`);
  await expect(other.locator("body")).toContainText("1234.50");
  await other.close();
  await jobs.locator("#w-jobs .changed-line [data-undo]").click();
  await expect(jobs.locator("#w-jobs .changed-line")).toContainText("Undone: Yard cost");
});

test("an author lets fields be changed; two who change one record at once lose nothing of each other's", async ({ page, context }) => {
  await signIn(page);
  await copied(page, "hazards", "hazards-changed", "Risks to be changed");
  await page.locator("[gs-id=list] .widget-head").click();
  const panel = page.locator("#panel");
  await panel.getByRole("button", { name: "changing Status by" }).click();
  const office = panel.getByRole("checkbox", { name: "everyone" }).nth(3);
  await Promise.all([page.waitForResponse((r) => r.url().includes("/dashboards/hazards-changed") && r.ok()), office.check()]);
  await expect(panel).toContainText("changing Owner by “foreman”, “director” and “everyone”");
  await noSeriousProblem(page, "who may change what");
  await page.locator("#readers summary").click();
  await expect(page.locator("#readers input[value=change]")).toBeChecked();
  await page.keyboard.press("Escape");
  await publish(page);
  await settled(page);

  const second = await context.newPage();
  await second.goto("/dashboards/hazards-changed");
  await settled(second);
  const key = await list(page).locator("tr[data-key]").nth(2).getAttribute("data-key");
  const mine = list(page).locator(`tr[data-key='${key}']`), theirs = list(second).locator(`tr[data-key='${key}']`);
  const before = (await cell(mine, "status").innerText()).trim(), [one, two] = ["open", "watched"].includes(before) ? [before === "open" ? "watched" : "open", before] : ["open", "watched"];
  await cell(mine, "review_due").click();
  await page.locator("#change-to").fill("2027-04-05");
  await choose(second, second, theirs, "status", one);
  await expect(told(second)).toContainText(`→ “${one}”`);
  await page.locator(".change-form .main").click();
  await expect(page.locator(".change-form .wrong")).toContainText("This record was changed meanwhile");
  await expect(page.locator("#change-to"), "what was typed is still there").toHaveValue("2027-04-05");
  await expect(cell(mine, "status")).toHaveText(one);
  await page.locator(".change-form .main").click();
  await expect(told(page)).toContainText("→ “5 Apr 2027”");
  await expect(cell(theirs, "review_due"), "seen in the other window without being asked for").toHaveText("5 Apr 2027");
  await told(page).locator("[data-undo]").click();
  await expect(told(page)).toContainText("Undone");
  await choose(second, second, theirs, "status", two);
  await expect(told(second)).toContainText(`→ “${two}”`);

  // A record that the owner is chosen of, on a phone.
  await page.setViewportSize({ width: 390, height: 800 });
  await cell(mine, "owner").click();
  await expect(page.locator("#change-to option").nth(5)).toBeAttached();
  const box = (await page.locator("#popover").boundingBox())!;
  expect(box.x >= 0 && box.x + box.width <= 390, JSON.stringify(box)).toBe(true);
});

test("a builder names the role that changes records and says which fields are", async ({ page }) => {
  await signIn(page, "mara.quill@skerrin.example");
  await page.goto("/data/sources/yard-desk");
  await page.locator("#changer summary").click();
  await page.locator("#c-role").fill("eskadel_reader");
  await page.getByRole("button", { name: "only try it" }).last().click();
  await expect(page.locator("#changer .wrong")).toContainText("may not change a column of any table");
  await page.locator("#c-role").fill("eskadel_changer");
  await page.getByRole("button", { name: "only try it" }).last().click();
  await expect(page.locator("#changer .found")).toContainText("status of hazard");
  await noSeriousProblem(page, "the role that changes records");

  await page.goto("/data/datasets/hazards?part=changing");
  const noted = page.getByRole("checkbox", { name: "Noted" });
  await noted.check();
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(noted).toBeChecked();
  await noSeriousProblem(page, "which fields are changed");
  await noted.uncheck();
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(noted).not.toBeChecked();
});
