import { expect, test, type Locator } from "@playwright/test";
import { complaints, dashboardFrame, noSeriousProblem, publish, settled, signIn, yardDeskAs } from "./help";

/** Chooses in an unfolded menu by the keyboard, and waits until the sentence says it. */
async function choose(page: import("@playwright/test").Page, label: string) {
  await page.locator(".choices .choice", { hasText: label }).first().waitFor();
  for (let i = 0; i < 60; i++) {
    if ((await page.evaluate(() => document.activeElement?.textContent ?? "")).startsWith(label)) break;
    await page.keyboard.press("ArrowRight");
  }
  const heading = await page.locator("#choices-head").textContent();
  await page.keyboard.press("Enter");
  // The menu folds, or that of the next choice opens.
  await page.waitForFunction((old) => document.querySelector("#choices-head")?.textContent !== old, heading);
}

async function phrase(page: import("@playwright/test").Page, part: string) {
  await page.locator(`[data-part="${part}"]`).focus();
  await page.keyboard.press("Enter");
}

test("an author makes a chart from nothing, by keyboard, and it is seen in Yard Desk", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/charts/edit");
  await choose(page, "Yard jobs");
  await expect(page.locator(".sentence")).toContainText("Number of jobs of Yard jobs");
  await expect(page.locator("#preview .widget[data-drawn]")).toBeVisible();
  await phrase(page, "measure.0");
  await choose(page, "Sum of …");
  await choose(page, "Yard cost");
  await expect(page.locator(".sentence")).toContainText("Sum of Yard cost of Yard jobs, per fitting step of Opened");
  await phrase(page, "grain.0");
  await choose(page, "week");
  await phrase(page, "add");
  await choose(page, "split by …");
  await choose(page, "Kind");
  await phrase(page, "add");
  await choose(page, "only the largest few of the split …");
  await choose(page, "the largest 5 with others together");
  await expect(page.locator(".sentence")).toHaveText("Sum of Yard cost of Yard jobs, per week of Opened, split by Kind, the largest 5 with others together, as stacked columns +");
  await page.locator("#figures summary").focus();
  await page.keyboard.press("Enter");
  await expect(page.locator("#figures-table thead")).toContainText("rework");
  await noSeriousProblem(page, "chart editor");

  // Undo takes the last step back, redo repeats it.
  await page.locator("#undo").focus();
  await page.keyboard.press("Enter");
  await expect(page.locator(".sentence")).not.toContainText("largest 5");
  await page.locator("#redo").focus();
  await page.keyboard.press("Enter");
  await expect(page.locator(".sentence")).toContainText("largest 5");

  await page.locator("#chart-title").focus();
  await page.locator("#chart-title").fill("Cost week by week");
  await page.keyboard.press("Enter");
  await expect(page.locator("#preview h2")).toHaveText("Cost week by week");
  await page.locator("#to").focus();
  await page.keyboard.type("Yard today");
  await page.locator("#place").focus();
  await page.keyboard.press("Enter");
  await page.waitForURL(/dashboards\/yard-today\/edit/);
  const placed = page.locator("section.widget", { has: page.locator("h2", { hasText: "Cost week by week" }) });
  await expect(placed).toBeVisible();

  // Moved by the keyboard, saved by itself.
  await placed.locator("h2").focus();
  const save = page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok());
  await page.keyboard.press("ArrowRight");
  await save;
  await expect(page.locator("#saved")).toContainText("draft saved");
  await settled(page);
  await noSeriousProblem(page, "dashboard editor");
  await publish(page);
  expect(wrong).toEqual([]);

  const desk = await browser.newPage();
  await yardDeskAs(desk, "director");
  const frame = await dashboardFrame(desk);
  await expect(frame.locator("h2", { hasText: "Cost week by week" })).toBeVisible();
  await desk.close();
});

test("value per week by person, with names, this quarter, is made by mouse in few clicks", async ({ page }) => {
  await signIn(page);
  let clicks = 0;
  const click = async (place: Locator) => {
    await place.first().click();
    clicks++;
  };
  const choice = (name: string | RegExp) => page.locator("#choices .choice").filter({ hasText: name });
  const part = (name: string) => page.locator(`[data-part="${name}"]`);
  await click(page.getByRole("link", { name: "Charts", exact: true }));
  await click(page.getByRole("link", { name: "New chart" }));
  if (!(await part("dataset").textContent())?.includes("which records")) await click(part("dataset"));
  await click(choice("Refit enquiries"));
  await click(part("measure.0"));
  await click(choice("Sum of Quoted value"));
  await click(part("grain.0"));
  await click(choice(/^week$/));
  await click(part("add"));
  await click(choice("split by"));
  await click(choice("Estimator"));
  await click(part("add"));
  await click(choice("only where"));
  await click(choice("Opened this quarter"));
  await expect(page.locator(".sentence")).toContainText("Sum of Quoted value of Refit enquiries, per week of Opened, split by Estimator, only where Opened this quarter, as stacked columns", { useInnerText: true });
  expect(clicks).toBeLessThan(15);
  await settled(page);
  await expect(page.locator("#preview .legend")).toContainText(/[A-Z][a-z]+ [A-Z][a-z]+/); // people by name
  // An entry of the legend leads to its own name and colour.
  const entry = page.locator("#preview .legend button").first();
  const name = ((await entry.textContent()) ?? "").trim();
  await entry.click();
  await expect(page.getByLabel(`${name} is called`)).toBeFocused();
});

/** The year of the latest March that has begun, at the moment that is held. */
const held = new Date(process.env.ESKADEL_MOMENT ?? "2026-11-18T14:23:11Z"), march = held.getUTCFullYear() - (held.getUTCMonth() < 2 ? 1 : 0);

test("the sentence is typed: completed, put right, and marked where it stands for nothing", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await page.locator("#preview .widget[data-drawn]").waitFor();
  await page.locator(".phrase").first().focus();
  await page.keyboard.press("y"); // just beginning to type
  const line = page.locator("#typed-line"), read = page.locator("#typed-read");
  await expect(line).toBeFocused();
  // How long a key waits until it is seen to, while lines are read and charts drawn.
  await page.evaluate(() => document.addEventListener("keydown", (e) => (document.body.dataset.late = `${Math.max(Number(document.body.dataset.late ?? 0), performance.now() - e.timeStamp)}`), true));
  await line.pressSequentially("ard csot by month for tarn q");
  await expect(read).toContainText("“csot” is read as cost");
  await expect(page.locator("#typed-offers [role=option]").first()).toContainText("Tarn Quay");
  await page.keyboard.press("Enter"); // nothing is made of what is not understood
  await expect(read.locator("mark")).toHaveText("for tarn q");
  await expect(line).toBeFocused();
  await noSeriousProblem(page, "the typed sentence");
  await line.press("End");
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("ArrowRight");
  await line.pressSequentially("u");
  await expect(page.locator("#typed-offers [role=option]").first()).toContainText("Tarn Quay");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(line).toHaveValue(/Tarn Quay.? $/);
  await line.pressSequentially("since March");
  await expect(read.locator(".understood")).toContainText(`only where Yard is “Tarn Quay” and Opened since 1 Mar ${march}`);
  await page.keyboard.press("Enter");
  await expect(page.locator(".sentence")).toHaveText(`Sum of Yard cost of Yard jobs, per month of Opened, only where Yard is “Tarn Quay” and Opened since 1 Mar ${march}, as columns +`);
  await expect(page.locator("#preview .widget[data-drawn] h2")).toHaveText("Yard cost per month");

  // By mouse: the sentence stands in the line, an offer takes the place of what is not known.
  await page.locator("#type-it").click();
  await expect(line).toHaveValue(/^Sum of Yard cost of Yard jobs, per month of Opened/);
  await line.fill("average by kind");
  await read.getByRole("button", { name: "average of Crew hours" }).click();
  await expect(read.locator(".understood")).toHaveText("Average of Crew hours of Yard jobs, by Kind, as bars");
  await page.getByRole("button", { name: "Make it the chart" }).click();
  await expect(page.locator(".sentence")).toHaveText("Average of Crew hours of Yard jobs, by Kind, as bars +");
  await page.locator("#type-it").click();
  await page.getByRole("button", { name: "leave it as it was" }).click();
  await expect(page.locator(".sentence")).toBeVisible();
  await page.locator("#undo").click();
  await expect(page.locator(".sentence")).toContainText(`since 1 Mar ${march}`);
  console.log(`a key waited at most ${Number(await page.evaluate(() => document.body.dataset.late)).toFixed(1)} ms while it was typed`);
  expect(wrong).toEqual([]);
});

test("a question is answered by a sentence and a chart, asked on and opened in the editor", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.locator("#ask").fill("yard cost this year at Tarn Quay compared with last year");
  await page.keyboard.press("Enter");
  const told = page.locator(".answer-words");
  await expect(told).toHaveText(/^Sum of Yard cost, where Opened this year and Yard is “Tarn Quay”, is £[\d,.]+, [\d.]+% (more|less) than the year before \(£[\d,.]+\)\.$/);
  await expect(page.locator("#answer .widget[data-drawn], #answer .figure").first()).toBeVisible();
  await noSeriousProblem(page, "an answer");
  await page.locator("#ask").fill("by crew");
  await page.keyboard.press("Enter");
  await expect(told).toContainText("in all");
  await expect(page.locator(".asked li")).toHaveText(["yard cost this year at Tarn Quay compared with last year", "by crew"]);
  await page.locator("#ask").fill("only reworks of zebras");
  await page.keyboard.press("Enter");
  await expect(page.locator(".unknown mark")).toHaveText("zebras");
  await expect(page.locator("#answer")).toHaveCount(0);
  await page.goBack();
  await expect(told).toContainText("in all");
  await page.getByRole("button", { name: "change it in the editor" }).click();
  await expect(page.locator(".sentence")).toContainText("by Crew");
  expect(wrong).toEqual([]);
});

test("the pages have no serious problem of accessibility", async ({ page }) => {
  await page.goto("/sign-in");
  await noSeriousProblem(page, "sign in");
  await signIn(page);
  for (const path of ["/", "/charts", "/nothing-here"]) {
    await page.goto(path);
    await noSeriousProblem(page, path);
  }
  await page.emulateMedia({ colorScheme: "dark" });
  for (const path of ["/", "/data/datasets/yard-jobs", "/dashboards/yard-today"]) {
    await page.goto(path);
    await settled(page);
    await noSeriousProblem(page, `${path}, dark`);
  }
});
