import { expect, test } from "@playwright/test";
import { complaints, faults, noSeriousProblem, settled, signIn } from "./help";

const pages = ["Columns and bars", "Lines and areas", "Parts and points", "Tables", "Records"];

test("each form draws, its labels have room, and everyone can read it: wide, narrow, dark", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  for (const [width, scheme] of [[1280, "light"], [390, "dark"]] as const) {
    await page.emulateMedia({ colorScheme: scheme });
    await page.setViewportSize({ width, height: 900 });
    await page.goto("/dashboards/gallery");
    for (const name of pages) {
      await page.getByRole("button", { name, exact: true }).click();
      await settled(page);
      await expect(page.locator(".widget .wrong, .widget .nothing")).toHaveCount(0);
      await page.evaluate(() => document.fonts.ready);
      await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))); // drawn with the font
      expect(await page.evaluate(faults, "svg.drawing"), `${name}, ${width} wide`).toEqual([]);
      await noSeriousProblem(page, `${name}, ${scheme}`);
    }
  }
  expect(wrong).toEqual([]);
});

test("marks of every form lead to their records", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/gallery");
  for (const name of pages.slice(0, 3)) {
    await page.getByRole("button", { name, exact: true }).click();
    await settled(page);
    for (const id of await page.locator(".widget[data-drawn]").evaluateAll((l) => l.map((w) => w.id))) {
      const chart = page.locator(`#${id} .chart[role=listbox]`);
      await chart.focus();
      await page.keyboard.press("Home");
      const mark = (await page.locator(`#${id} [role=option]`).textContent())!;
      await page.keyboard.press("r");
      await expect(page.locator("#drawer")).toBeVisible();
      await expect(page.locator("#drawer h2"), mark).not.toContainText("when the chart was drawn");
      await expect(page.locator("#drawer tbody tr").first(), mark).toBeVisible();
      await page.keyboard.press("Escape");
      await expect(page.locator("#drawer")).toBeHidden();
    }
  }
});

test("the legend hides a series, rows of a pivot fold, and the finish is set in the editor", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/gallery");
  await settled(page);
  const stacked = page.locator(".widget", { has: page.locator("h2", { hasText: "Stacked bars" }) });
  const marks = await stacked.locator(".mark").count();
  await stacked.getByRole("button", { name: "rework" }).click();
  await expect(stacked.locator(".mark")).not.toHaveCount(marks);
  await expect(stacked.locator(".chart")).toHaveAttribute("aria-label", /Hidden by the legend: rework\./);
  await expect(stacked.getByRole("button", { name: "rework" })).toBeFocused();
  await expect(page).toHaveURL(/view=/);
  await page.reload();
  await settled(page);
  await expect(stacked.getByRole("button", { name: "rework" })).toHaveAttribute("aria-pressed", "false");
  await stacked.getByRole("button", { name: "rework" }).press("Enter");
  await expect(stacked.locator(".mark")).toHaveCount(marks);
  await page.getByRole("button", { name: "Tables", exact: true }).click();
  await settled(page);
  const grouped = page.locator(".widget", { has: page.locator("h2", { hasText: "Grouped table" }) });
  await expect(grouped.locator("tbody tr:visible")).toHaveCount(5);
  await grouped.getByRole("button", { name: "Ostrey" }).click();
  await expect(grouped.locator("tbody tr:visible")).toHaveCount(10);
  // What a table compares with leads to its records of then, which give it.
  const before = page.locator("button.cell[data-then]").first();
  const was = (await before.textContent())!;
  await before.click();
  await expect(page.locator("#drawer tfoot")).toContainText(was);
  await page.keyboard.press("Escape");
  await expect(page.locator("#drawer")).toBeHidden();

  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  const finish = (section: string) => page.locator(`.finish-sentence [data-section="${section}"]`);
  await finish("Words").click();
  await page.getByLabel("Subtitle", { exact: true }).fill("all five yards");
  await page.keyboard.press("Tab");
  await expect(page.locator(".widget-subtitle")).toHaveText("all five yards");
  await finish("Value axis").click();
  await page.getByLabel("Begins at").fill("soon");
  await page.keyboard.press("Tab");
  await expect(page.getByText("“soon” is not a number.")).toBeVisible();
  await expect(page.getByLabel("Begins at")).toHaveValue("soon");
  await finish("Target").click();
  await page.getByRole("combobox", { name: "Target", exact: true }).selectOption({ label: "the same for each group" });
  await page.locator('[data-path="target.constant"]').fill("900");
  await page.keyboard.press("Tab");
  await expect(page.locator(".sentence")).toContainText("against a target of 900");
  await expect(page.locator(".drawing .aim")).not.toHaveCount(0);
  // Numbers are chosen from samples of its own, and its values are called and coloured one by one.
  await finish("Numbers").click();
  const samples = page.getByLabel("Numbers of number of jobs");
  await expect(samples).toBeVisible();
  await samples.selectOption({ label: (await samples.locator("option").allTextContents()).find((o) => o.endsWith("%"))! });
  await expect(finish("Numbers")).toContainText("number of jobs written “0%”");
  await page.locator('[data-part="by.0"]').click();
  await page.locator("#choices .choice", { hasText: "Kind" }).first().click();
  await settled(page);
  await finish("Names and colours").focus();
  await page.keyboard.press("Enter");
  await page.getByLabel("rework is called").fill("done again");
  await page.keyboard.press("Tab");
  await expect(page.locator("#preview svg.drawing")).toContainText("done again");
  await page.getByRole("group", { name: "rework in the colour" }).getByRole("button", { name: "colour 4", exact: true }).press("Enter");
  await expect(finish("Names and colours")).toContainText("colours “rework” in colour 4");
  await expect(page.getByRole("group", { name: "rework in the colour" }).getByRole("button", { name: "colour 4", exact: true })).toHaveAttribute("aria-pressed", "true");
  await noSeriousProblem(page, "chart editor with the finish unfolded");
  // A gauge comes with a scale from its own figure, which can be changed.
  await finish("Target").click();
  await page.getByRole("combobox", { name: "Target", exact: true }).selectOption({ label: "none" });
  await page.locator('[data-part="by.0"]').click();
  await page.locator("#choices .choice", { hasText: "Not divided" }).click();
  await page.locator('[data-part="form"]').click();
  await page.locator("#choices .choice", { hasText: "a gauge" }).click();
  await expect(finish("Scale and bands")).toContainText("scale to");
  await expect(page.locator("#preview .drawing")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(finish("Scale and bands")).toBeFocused();
  // The fields of a list are chosen and put in order by their labels.
  await page.locator('[data-part="form"]').click();
  await page.locator("#choices .choice", { hasText: "a list of records" }).click();
  await finish("Records").click();
  await page.getByLabel("Fields", { exact: true }).selectOption({ label: "Crew hours" });
  await page.getByRole("button", { name: "put Crew hours earlier" }).click();
  await page.getByRole("button", { name: "leave out Opened" }).click();
  await expect(page.locator("#finish-open .row-name").first()).not.toContainText("Opened");
});

test("two thousand marks are drawn and answer", async ({ page }) => {
  await signIn(page);
  await page.goto("/charts/edit?dataset=yard-jobs");
  const [draw, answer] = await page.evaluate(async () => {
    const { Chart } = await import(/* a module of the page */ ("/static/reading/draw.js" as string));
    const place = document.createElement("div");
    place.style.cssText = "position:absolute;left:0;top:0;width:1200px;height:600px";
    document.body.append(place);
    const groups = Array.from({ length: 200 }, (_, i) => ({ label: `${i}`, full: `${i}`, key: {}, words: `group ${i}` }));
    const series = Array.from({ length: 10 }, (_, s) => ({ name: `s${s}`, colour: `c${s + 1}`, as: "column", stack: true, measure: 0, of: s, marks: groups.map(() => ({ size: s + 1, from: s, label: "1", exact: "1" })) }));
    const chart = new Chart(place, { choose: () => {}, records: () => {} });
    const model = { kind: "columns", style: "stacked", groups, series, axis: { low: 0, high: 10, ticks: [{ at: 0, label: "0" }, { at: 10, label: "10" }] }, category: {}, legend: "top", summary: "", reference: {} };
    const times: number[] = [], answers: number[] = [];
    for (let i = 0; i < 7; i++) {
      const start = performance.now();
      chart.draw(model, "many");
      place.getBoundingClientRect();
      times.push(performance.now() - start);
    }
    const svg = place.querySelector("svg")!;
    for (let i = 0; i < 20; i++) {
      const start = performance.now();
      svg.dispatchEvent(new PointerEvent("pointermove", { bubbles: true, clientX: 400 + i, clientY: 400 }));
      place.getBoundingClientRect();
      answers.push(performance.now() - start);
      if (place.querySelector<HTMLElement>(".tip")!.hidden) throw new Error("a mark under the pointer shows nothing");
    }
    if (chart.places.size !== 2000) throw new Error(`${chart.places.size} marks`);
    const median = (l: number[]) => l.sort((a, b) => a - b)[l.length >> 1];
    return [median(times), median(answers)];
  });
  console.log(`2,000 marks are drawn in ${draw.toFixed(1)} ms and answer to the pointer in ${answer.toFixed(2)} ms`);
});
