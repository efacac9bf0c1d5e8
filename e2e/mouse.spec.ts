/** *Money* from nothing by the mouse: phrases and their choices; only names and numbers are typed. */
import { expect, type Locator, type Page, test } from "@playwright/test";
import { complaints, settled } from "./help";
import { answering, begun, filtering, type Hand, leading, letting, paged, plain, shipped } from "./making";

/** Somebody's hand on the mouse, which counts what it does. */
class Mouse implements Hand {
  clicks = 0;
  letters = 0;
  panel: Locator;
  constructor(private page: Page) {
    this.panel = page.locator("#panel");
  }

  press = async (on: Locator) => {
    this.clicks++;
    await on.click();
  };
  tick = this.press;

  /** Presses something that changes the chart, and waits until that is kept. */
  async sets(on: Locator) {
    await Promise.all([this.kept(), this.press(on)]);
  }

  kept() {
    return this.page.waitForResponse((r) => r.url().endsWith("/charts/change") && r.ok(), { timeout: 5_000 });
  }

  async types(into: Locator, text: string) {
    this.letters += text.length;
    await this.press(into);
    await into.fill(text);
    await Promise.all([this.kept(), into.press("Tab")]);
    await settled(this.page);
  }

  async takes(select: Locator, label: string | RegExp) {
    this.clicks += 2; // opens it, and chooses
    // What stands there may just be shown anew, quicker than any hand.
    await expect(async () => {
      const wanted = (await select.locator("option").allTextContents()).find((l) => (typeof label === "string" ? l === label : label.test(l)))!;
      expect(wanted).toBeDefined();
      await Promise.all([this.kept(), select.selectOption({ label: wanted })]);
      await expect(select.locator("option:checked")).toHaveText(wanted, { timeout: 1000 });
    }).toPass({ timeout: 20_000 });
    await settled(this.page);
  }

  phrase(part: string) {
    return this.press(this.panel.locator(`.sentence [data-part="${part}"]`).first());
  }

  section(name: string) {
    return this.press(this.panel.locator(`[data-section="${name}"]`));
  }

  of(path: string) {
    return this.panel.locator(`.finish [data-path="${path}"]`).first();
  }

  /** Unfolds a phrase and chooses, one after the other; what only leads on changes nothing. */
  async choose(part: string, ...labels: string[]) {
    await this.phrase(part);
    for (const label of labels) {
      const named = label.replace(/[.*+?^${}()|[\]\\]/g, "\\$&").replace(/ (text|date|with others together)$/, "\\s+$1");
      const choice = this.panel.locator("#choices .choice").filter({ hasText: new RegExp(part === "form" ? `(^|[^\\w]|\\d)${named} [a-z]` : `^\\s*${named}([\\s:,]|$)`) }).first();
      await expect(choice, `${part}: ${label}`).toBeEnabled();
      await this.sets(choice);
      await settled(this.page);
    }
  }

  /** Keeps as many as are typed, of a phrase that is unfolded. */
  async keeps(many: number, label: string) {
    this.letters += String(many).length;
    await this.press(this.panel.getByLabel("How many"));
    await this.panel.getByLabel("How many").fill(String(many));
    await this.sets(this.panel.locator("#choices .choice").filter({ hasText: new RegExp(`^\\s*${label}\\s*$`) }));
    await settled(this.page);
  }

  /** Adds a chart of a dataset. */
  async adds(dataset: string) {
    await this.press(this.page.locator("#add summary"));
    await Promise.all([this.page.waitForResponse((r) => r.url().endsWith("/add") && r.ok()), this.press(this.page.locator("[data-add=chart]"))]);
    const of = this.panel.locator('.sentence [data-part="dataset"]');
    await expect(of).toBeVisible();
    if ((await of.textContent())!.trim() === dataset) return;
    const first = this.panel.locator("#choices .choice", { hasText: dataset }).first();
    if ((await of.textContent())!.includes("which")) await expect(first).toBeVisible();
    else await this.phrase("dataset");
    await this.sets(first);
    await settled(this.page);
  }

  titled(title: string) {
    return this.types(this.panel.locator("#chart-title"), title);
  }

  async called(...labels: [path: string, label: string][]) {
    for (const [path, label] of labels) await this.types(this.of(`${path}.label`), label);
  }

  close() {
    return this.press(this.panel.getByRole("button", { name: "close", exact: true }));
  }

  /** How long a hand takes that knows its way: 1.1 s to point, 0.2 to click, 1.35 to think; 0.28 for a letter. */
  tells(what: string) {
    console.log(`${what} by the mouse: ${this.clicks} clicks and ${this.letters} letters, ${((this.clicks * 2.65 + this.letters * 0.28) / 60).toFixed(1)} minutes by the keystroke-level model`);
  }
}

/** What was made is what ships. */
async function made(page: Page, of: unknown) {
  await settled(page);
  await page.reload();
  expect(plain(JSON.parse((await page.getAttribute("#editor", "data-document"))!))).toEqual(plain(of));
}

test("Money is made from nothing by the mouse", async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = complaints(page), m = new Mouse(page), of = shipped("money");
  await begun(page, "Money by the mouse", of.answers);
  await paged(page, of.pages[0].title, m);

  await m.adds("Invoice lines");
  await m.choose("by.0", "Not divided");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("add", "another measure …", "Sum of Margin");
  await m.choose("add", "another measure …", "Margin in percent");
  await m.choose("add", "compared with", "the year before");
  await m.choose("add", "against a target");
  await m.takes(m.of("target"), "from plan by month");
  await m.called(["target", "Plan"]);
  await m.titled("Revenue");
  await m.section("Drawn as");
  await m.sets(m.panel.getByLabel("A small line under each"));
  await m.choose("measure.0", "called and written otherwise");
  await m.called(["measures.0", "invoiced, net"], ["measures.1", "margin"], ["measures.2", "margin in percent"]);
  for (const i of [0, 1]) await m.takes(m.of(`measures.${i}.format`), /M$/);
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("add", "years laid over each other");
  await m.choose("add", "sum of Net amount as a running total", "running total within each year");
  await m.choose("add", "only where", "Issued date", "in the last 3 years");
  await m.titled("This year over the last ones, running");
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("grain.0", "month");
  await m.choose("add", "compared with", "the year before");
  await m.choose("add", "against a target");
  await m.takes(m.of("target"), "from plan by month");
  await m.called(["target", "Plan"]);
  await m.titled("Revenue per month, plan and year before");
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("grain.0", "month");
  await m.choose("add", "another dataset beside it", "Refit enquiries");
  await m.choose("also.0.measure.0", "Sum of Quoted value");
  await m.choose("form", "columns and lines");
  await m.titled("Revenue beside the enquiries that will become it");
  await m.section("Drawn as");
  await m.takes(m.of("finish.drawn.0"), "columns");
  await m.takes(m.of("finish.drawn.1"), "line");
  await m.section("Numbers");
  await m.called(["measures.0", "Revenue"], ["also.0.measures.0", "Quoted in refit enquiries"]);
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("by.0", "Service text");
  await m.choose("add", "another measure …", "Margin in percent");
  await m.choose("add", "another measure …", "Number of invoice lines");
  await m.choose("form", "a scatter");
  await m.choose("cut.0", "All");
  await m.titled("Revenue and margin of services");
  await m.section("Numbers");
  await m.called(["measures.0", "Revenue"], ["measures.1", "Margin in percent"], ["measures.2", "Lines"]);
  await m.close();

  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/pages") && r.ok()), m.press(page.locator("#pages .adding"))]);
  await paged(page, of.pages[1].title, m);

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("by.0", "Service line");
  await m.choose("add", "another measure …", "Margin in percent");
  await m.choose("add", "another group", "Service text");
  await m.choose("add", "split by", "Yard");
  await m.choose("form", "a pivot");
  await m.choose("cut.1", "All");
  await m.titled("Services, by yard");
  await m.section("Numbers");
  await m.called(["measures.0", "Revenue"], ["measures.1", "Margin"]);
  await m.takes(m.of("measures.0.format"), /^£[\d,]+$/);
  await m.section("Cell rules");
  for (const rule of [0, 1]) {
    await m.sets(m.panel.getByRole("button", { name: "add a rule" }));
    await expect(m.panel.locator(`[id="f-finish.cells.${rule}.of-number"]`)).toBeVisible();
  }
  await m.takes(m.panel.locator('[id="f-finish.cells.1.of-number"]'), "Margin");
  await m.takes(m.panel.locator('[id="f-finish.cells.1-json"]'), "colours by ranges");
  await expect(m.panel.locator('[id="f-finish.cells.1.ranges.1.from-number"]')).toBeVisible();
  await m.sets(m.panel.getByRole("button", { name: "add a range" }).last());
  await expect(m.panel.locator('[id="f-finish.cells.1.ranges.2.from-number"]')).toBeVisible();
  const range = (i: number, what: string) => m.panel.locator(`[id="f-finish.cells.1.ranges.${i}.${what}"]`);
  for (const [i, tone, from, sign] of [[0, "poor", "", "▼"], [1, "plain", "0.3", ""], [2, "good", "0.45", "▲"]] as const) {
    if ((await range(i, "from-number").inputValue()) !== from) await m.types(range(i, "from-number"), from);
    if ((await range(i, `tone-colour-${tone}`).getAttribute("aria-pressed")) !== "true") await m.sets(range(i, `tone-colour-${tone}`));
    if ((await range(i, "sign-text").inputValue()) !== sign) await m.types(range(i, "sign-text"), sign);
  }
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("measure.0", "Sum of Net amount");
  await m.choose("by.0", "Customer");
  await m.phrase("cut.0");
  await m.keeps(12, "the largest 12");
  await m.choose("add", "only where", "Days overdue", "is filled");
  await m.choose("form", "bars");
  await m.titled("Overdue, by customer");
  await m.section("Numbers");
  await m.called(["measures.0", "Owed"]);
  await m.close();

  await m.adds("Invoice lines");
  await m.choose("form", "a list of records");
  await m.choose("show", "Issued", "Due", "Paid", "Yard", "Customer", "Service line", "Customer", "Net amount", "Due", "Days overdue", "Yard");
  await m.choose("add", "in order of", "Days overdue, last first");
  await m.choose("add", "only the first few", "the first 100");
  await m.choose("add", "only where", "Days overdue", "is filled");
  await m.titled("What is overdue the longest");
  await m.section("Tables");
  await m.sets(m.panel.getByLabel("Join repeated cells"));
  await m.close();

  const add = filtering(page, m);
  await add("Issued", "issued", "a year");
  await add("Yard", "at", "their yard");
  await add("Service line", "for");
  await m.press(page.locator("#reach summary"));
  for (const chart of ["Overdue, by customer", "What is overdue the longest"]) await answering(page, `issued in the last 12 months, ${chart}: Issued`, "does nothing to it", m);
  await m.press(page.locator("#pages button", { hasText: "Year" }));
  await answering(page, "issued in the last 12 months, This year over the last ones, running: Issued", "does nothing to it", m);
  await leading(page, "the page Detail", ["Revenue per month, plan and year before, Year", "Revenue beside the enquiries that will become it, Year"], "This year over the last ones, running, Year", m);
  await made(page, of);
  m.tells("Money");
  expect(wrong).toEqual([]);
});
