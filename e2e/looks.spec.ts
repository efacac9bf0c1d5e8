import { expect, test } from "@playwright/test";
import { complaints, faults, noSeriousProblem, settled, signIn } from "./help";

test("a viewer changes the grain, chooses by dragging, goes closer and back", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  const cost = page.locator("#w-cost"), groups = () => cost.locator(".mark").count();
  const weeks = await groups();
  await cost.hover();
  await cost.getByLabel("Per", { exact: true }).selectOption("month");
  await settled(page);
  await expect.poll(groups).toBeLessThan(weeks);
  const some = await page.locator("#line b").first().textContent();
  const area = (await cost.locator("svg.drawing").boundingBox())!;
  await page.mouse.move(area.x + area.width * 0.3, area.y + area.height * 0.5);
  await page.mouse.down();
  await page.mouse.move(area.x + area.width * 0.62, area.y + area.height * 0.6, { steps: 6 });
  await page.mouse.up();
  await expect(page.locator("#line b").first()).not.toHaveText(some!);
  await cost.hover();
  await cost.getByRole("button", { name: "closer" }).click();
  await settled(page);
  await expect(cost.getByRole("button", { name: "whole range" })).toBeVisible();
  await page.getByRole("button", { name: "standard view" }).click();
  await settled(page);
  await expect.poll(groups).toBe(weeks);
  // The same with the keyboard: choose a mark, go closer, and back.
  await cost.locator("[role=listbox]").focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("z");
  await settled(page);
  await expect.poll(groups).toBeLessThan(weeks);
  await page.keyboard.press("Shift+Z");
  await settled(page);
  await expect.poll(groups).toBe(weeks);
  expect(wrong).toEqual([]);
});

test("an author sets another dataset beside, changes the dataset, and finds the finish by clicking", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  const choose = async (part: string, text: string) => {
    await page.locator(`[data-part="${part}"]`).click();
    await page.locator("#choices .choice:not(:disabled)", { hasText: text }).first().click();
  };
  await choose("grain.0", "quarter");
  await choose("add", "another dataset beside");
  await page.locator("#choices .choice", { hasText: "Refit enquiries" }).click();
  await expect(page.locator(".sentence")).toContainText("beside number of enquiries of Refit enquiries");
  await settled(page);
  await expect(page.locator("#preview .legend li")).toHaveCount(3); // both datasets, and the quarter that has not ended
  expect(await page.evaluate(faults, "#preview svg.drawing")).toEqual([]);
  // A mark of the other dataset leads to its records.
  const chart = page.locator("#preview [role=listbox]");
  await chart.focus();
  await page.keyboard.press("Home");
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("r");
  await expect(page.locator("#drawer h2")).toContainText("enquir");
  await expect(page.locator("#drawer h2")).not.toContainText("when the chart was drawn");
  await page.keyboard.press("Escape");
  // Forms are chosen from pictures of this chart.
  await page.locator('[data-part="form"]').click();
  await expect(page.locator("#choices .thumb svg .curve").first()).toBeAttached();
  await noSeriousProblem(page, "forms to choose from");
  await page.keyboard.press("Escape");
  // A click on the axis opens its part of the finish.
  await page.locator("#preview [data-finish='Value axis'] text").first().click();
  await expect(page.locator("#finish-open input").first()).toBeFocused();
  await expect(page.locator("[data-section='Value axis']")).toHaveAttribute("aria-expanded", "true");
  await page.locator("[data-section='Groups and gaps']").click();
  await page.getByRole("button", { name: "only groups above …" }).click();
  await page.locator('[data-path="results.0.above"]').fill("900");
  await page.keyboard.press("Tab");
  await expect(page.locator(".sentence")).toContainText("only groups whose number of jobs is above 900");
  await noSeriousProblem(page, "rows of controls");
  // Another dataset keeps what fits and names what does not.
  await page.locator('[data-part="dataset"]').click();
  const boats = page.locator("#choices .choice", { hasText: "Boats by the jobs they bring" });
  await expect(boats).toContainText("is left out: opened");
  await boats.click();
  await expect(page.locator(".lost")).toContainText("Undo brings it back");
  await page.locator("#undo").click();
  await expect(page.locator(".sentence")).toContainText("per quarter of Opened");
  // A condition in the author's own words.
  await page.locator('[data-part="add"]').click();
  await page.locator("#choices .choice", { hasText: "only where …" }).click();
  await page.getByRole("button", { name: "add a condition" }).click();
  await page.getByLabel("Field", { exact: true }).selectOption({ label: "Urgency" });
  await page.getByLabel("Comparison").selectOption({ label: "is at least" });
  await page.getByLabel("Value", { exact: true }).fill("3");
  await page.getByRole("button", { name: "Set the condition" }).click();
  await expect(page.locator(".sentence")).toContainText("Urgency is at least 3");
  expect(wrong).toEqual([]);
});

/** What would be cut, or could be clicked, on paper: places that hold more than they show, and words that do something. */
const unprintable = () =>
  [...document.querySelectorAll<HTMLElement>(".reading-line, .widget, .widget *")].flatMap((e) => {
    const style = getComputedStyle(e), what = `${e.closest(".widget")?.querySelector("h2")?.textContent}: ${e.className || e.tagName}`;
    if (!e.checkVisibility() || e.closest("svg, .visually-hidden, .chart") || e.matches(".visually-hidden")) return [];
    if (style.overflowX !== "visible" && e.scrollWidth > e.clientWidth + 1 || style.overflowY !== "visible" && e.scrollHeight > e.clientHeight + 1) return [`${what} is cut`];
    if (e.getBoundingClientRect().right > document.documentElement.clientWidth + 1) return [`${what} lies beyond the paper`];
    return e.matches("button.plain, [data-one-record]") ? [`${what} is a word that does something`] : [];
  });

test("what each form is for, and the demo's dashboards, can be read by everyone", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/charts/forms");
  await page.mouse.wheel(0, 4000);
  await settled(page);
  await noSeriousProblem(page, "what each form is for");
  for (const [name, pages] of Object.entries({ "refit-enquiries": ["Pipeline", "Board"], berths: ["Stays", "Yards and boats", "Rework"], hazards: [""], money: ["Year", "Detail"] })) {
    await page.goto(`/dashboards/${name}`);
    for (const title of pages) {
      if (title) await page.getByRole("button", { name: title, exact: true }).click();
      await settled(page);
      await expect(page.locator(".widget .wrong, .widget .nothing")).toHaveCount(0);
      expect(await page.evaluate(faults, "svg.drawing"), `${name}, ${title}`).toEqual([]);
      if (title === pages[0]) await noSeriousProblem(page, name); // the forms of the others are on the page of all forms
      const view = page.viewportSize()!;
      await page.emulateMedia({ media: "print" });
      await page.setViewportSize({ width: 718, height: 1000 }); // A4
      expect(await page.evaluate(unprintable), `${name}, ${title}, on paper`).toEqual([]);
      await page.emulateMedia({ media: null });
      await page.setViewportSize(view);
    }
  }
  expect(wrong).toEqual([]);
});

test("an author puts values in order, compares with dates of their own, adds a picture and shares a scale", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  await page.locator('[data-part="by.0"]').click();
  await page.locator("#choices .choice", { hasText: "Kind" }).first().click();
  await page.locator('[data-part="add"]').click();
  await page.locator("#choices .choice", { hasText: "compared with" }).click();
  await page.locator("#choices .choice", { hasText: "dates of your own" }).click();
  await settled(page);
  await page.locator("[data-section='Comparison']").click();
  const to = page.getByLabel("to", { exact: true });
  const year = (await to.inputValue()).slice(0, 4); // last year, whatever this one is
  await to.fill(`${year}-06-30`);
  await to.press("Tab");
  await expect(page.locator(".sentence")).toContainText(`to 30 Jun ${year}`);
  await page.locator("[data-section='Groups and gaps']").click();
  await page.getByRole("button", { name: "put Kind in an order of your own" }).click();
  await page.getByRole("button", { name: "put fit-out earlier" }).press("Enter");
  await settled(page);
  await expect.poll(() => page.locator("#preview svg.drawing").textContent()).toMatch(/fit-out.*rework/);
  await noSeriousProblem(page, "groups and comparison");
  await page.goto("/dashboards/berths/edit");
  await settled(page);
  await page.locator("#add summary").click();
  await page.getByRole("button", { name: "image", exact: true }).click();
  await page.getByLabel("What it shows").fill("The plan");
  await page.getByLabel("Address").fill("/pictures/plan.svg");
  await page.getByLabel("Address").press("Tab");
  await expect(page.locator("#saved")).toContainText("draft saved");
  for (const title of ["Arrivals by month", "Nights by length"]) {
    const name = page.locator("section.widget", { hasText: title }).getByLabel("scale");
    await name.fill("moves");
    await name.press("Tab");
    await expect(page.locator("#saved")).toContainText("draft saved");
  }
  await expect(page.locator("section.widget", { hasText: "Nights by length" }).locator("svg.drawing")).toContainText("300");
  await noSeriousProblem(page, "a dashboard being changed");
  expect(wrong.filter((w) => !w.includes("422"))).toEqual([]);
  for (let undo = 0; undo < 5 && await page.locator("#undo").isEnabled(); undo++) await page.locator("#undo").click();
});

test("an author finds charts in the library, keeps a finding as a dashboard is narrowed, and places it", async ({ page }) => {
  await signIn(page);
  await page.goto("/charts");
  const cards = page.locator(".library-card");
  const n = await cards.count();
  expect(n).toBeGreaterThanOrEqual(24);
  await expect(cards.first().locator("svg.drawing")).toBeVisible();
  await noSeriousProblem(page, "the library");
  await page.getByLabel("Find a chart").fill("parts nowhere");
  await expect(page.locator("#library-found")).toContainText("None is called so");
  await page.getByLabel("Find a chart").fill("parts wait now");
  await expect(cards.filter({ visible: true })).toHaveText(/Jobs that wait for parts now/);
  await expect(page.locator("#library-found")).toHaveText(`1 of ${n}`);
  // A variant of a chart begins as that chart does, and is a new one.
  await page.getByLabel("Find a chart").fill("jobs by weekday");
  await page.getByRole("link", { name: "a variant of it" }).first().click();
  await expect(page.locator(".where")).toHaveText("a new chart");
  await expect(page.locator(".sentence")).toContainText("by weekday of Opened");

  await page.goto("/dashboards/yard-today");
  await settled(page);
  const parts = page.locator(".widget", { has: page.locator("h2", { hasText: "part group" }) });
  await parts.locator(".mark").first().click();
  await settled(page);
  const cost = page.locator("[data-widget=cost]");
  await cost.hover();
  await cost.getByRole("button", { name: "words" }).click();
  await page.getByRole("button", { name: "keep", exact: true }).click();
  await expect(page.locator("#popover .wrong")).toHaveText("Give what you found a name.");
  await page.getByLabel("finding called").fill("Cost as I saw it");
  await page.getByLabel("finding called").press("Enter");
  await page.getByRole("link", { name: "Cost as I saw it" }).click();
  await expect(page.locator("#library-found")).toHaveText(`1 of ${n + 1}`);
  await expect(cards.filter({ visible: true }).locator(".row-note")).toContainText("only where Opened in the last 12 months and Part group is");
  await cards.filter({ visible: true }).getByText("put it on …").click();
  await cards.filter({ visible: true }).getByRole("button", { name: "Berths" }).click();
  await expect(page.locator("section.widget", { hasText: "Cost as I saw it" })).toBeVisible();
});

test("fields show what is in them, and are dragged onto the sentence and the drawing", async ({ page }) => {
  await page.setViewportSize({ width: 1280, height: 1400 });
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  await page.locator('[data-part="by.0"]').click();
  const field = (name: string) => page.locator(`#choices [data-field="${name}"]`);
  await expect(field("yard_cost").locator("svg.picture rect").first()).toBeVisible();
  await expect(field("supplier")).toContainText("% filled");
  await noSeriousProblem(page, "fields with pictures of their values");
  await field("kind").dragTo(page.locator("#preview svg.drawing .mark").nth(9));
  await expect(page.locator(".sentence")).toContainText("split by Kind");
  await field("yard").dragTo(page.locator("#preview [data-finish='Category axis'] text").nth(1));
  await expect(page.locator(".sentence")).toContainText("by Yard, split by Kind");
  await field("crew").dragTo(page.locator(".sentence [data-part='split']"));
  await expect(page.locator(".sentence")).toContainText("by Yard, split by Crew");
  await field("opened").dragTo(page.locator(".sentence [data-part='form']"));
  await expect(page.locator("#wrong")).toHaveText("This phrase has no place for a field.");
});

test("conditions begin with their field, and values are ticked with how many have them", async ({ page }) => {
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  await page.locator('[data-part="add"]').click();
  await page.locator("#choices .choice", { hasText: "only where" }).click();
  await page.locator('#choices [data-field="yard"]').press("Enter");
  const value = (name: string) => page.locator("#choices .choice", { hasText: name });
  await expect(value("Tarn Quay").locator(".kind")).toHaveText(/^[\d,]+$/);
  // One tick after the other, without waiting for what the first makes of the chart.
  await value("Tarn Quay").press("Enter");
  await value("Ostrey").press("Enter");
  await expect(page.locator(".sentence")).toContainText("only where Yard is one of “Tarn Quay” or “Ostrey”");
  await expect(value("Tarn Quay")).toHaveAttribute("aria-pressed", "true");
  await value("all but what is ticked").press("Enter");
  await expect(page.locator(".sentence")).toContainText("only where Yard is none of “Tarn Quay” or “Ostrey”");
  await noSeriousProblem(page, "values to be ticked");
  await page.keyboard.press("Escape");
  await expect(page.locator("[data-part='where']")).toBeFocused();
  // Of many values others are looked for.
  await page.keyboard.press("Enter");
  await page.locator('#choices [data-field="boat"]').click();
  await page.locator("#choice-find[data-search]").fill("puffin");
  await expect(value("Puffin").first()).toBeVisible();
  await expect(value("Tern")).toHaveCount(0);
  await value("Puffin").first().click();
  await expect(page.locator(".sentence")).toContainText("and Boat is “Puffin");
  await page.locator("[data-part='where']").click();
  await page.locator("#choices .choice", { hasText: "no longer: Yard" }).click();
  await expect(page.locator(".sentence")).not.toContainText("Yard is");
});

test("a chart brings a formula and a linked record's field of its own, by keyboard, and records are kept as a finding", async ({ page }) => {
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  const choice = (name: string) => page.locator("#choices .choice", { hasText: name }).first();
  await page.locator('[data-part="add"]').press("Enter");
  await choice("a field of your own").press("Enter");
  await expect(page.locator("#own-label")).toBeFocused();
  await page.keyboard.type("Margin of labour");
  await page.keyboard.press("Tab");
  await page.keyboard.type("quoted_price -");
  await expect(page.locator(".formula-result .wrong")).toContainText("is expected here");
  await page.locator("#own-formula").fill("quoted_price - yard_cost");
  await expect(page.locator(".formula-result")).toContainText("A number, per record. The first results:");
  await noSeriousProblem(page, "a formula of the chart's own");
  await page.getByRole("button", { name: "Add the field" }).press("Enter");
  await expect(page.locator("#sentence")).toContainText("“Margin of labour” can be chosen wherever a field is.");
  await page.locator('[data-part="measure.0"]').press("Enter");
  await choice("Average of …").press("Enter");
  await choice("Margin of labour").press("Enter");
  await expect(page.locator("#sentence")).toContainText("Average of Margin of labour");
  await settled(page); // a phrase that is chosen while the sentence is made anew is closed again
  await page.locator('[data-part="by.0"]').press("Enter");
  await choice("Kind of boat").press("Enter");
  await expect(page.locator(".sentence")).toHaveText(/^\s*Average of Margin of labour\s+of\s+Yard jobs,\s+by\s+Kind of boat,\s+reckoning\s+“Margin of labour” as `quoted_price - yard_cost`,\s+bringing in\s+“Kind” of Boat as “Kind of boat”,/);
  await expect(page.locator("#preview svg.drawing")).toContainText("trawler");
  // The marks lead to their records.
  await page.locator("#preview .mark").first().click();
  await page.keyboard.press("r");
  await expect(page.locator("#drawer h2")).toContainText("jobs");

  await page.goto("/dashboards/yard-today");
  await settled(page);
  await page.locator("[data-widget=parts] .mark").first().click();
  await page.keyboard.press("r");
  await page.locator("#drawer").getByLabel("Keep these records as a finding called").fill("What waited that day");
  await page.locator("#drawer").getByRole("button", { name: "keep", exact: true }).press("Enter");
  await page.locator("#drawer").getByRole("link", { name: "What waited that day" }).click();
  await expect(page.locator(".library-card").filter({ visible: true }).locator(".row-note")).toContainText("The Yard jobs with");
});
