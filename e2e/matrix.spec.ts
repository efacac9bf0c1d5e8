/** Every form takes every step in the browser; each number is held to a query of this file's own. */
import { execFileSync } from "node:child_process";
import { expect, test, type Locator, type Page } from "@playwright/test";
import { settled, signIn } from "./help";

/** Asks the demonstration's records for a number. */
function ask(sql: string): number {
  return Number(execFileSync("psql", [`postgres://eskadel_reader@127.0.0.1:${process.env.ESKADEL_PG_PORT}/yarddesk?sslmode=disable`, "-Atc", sql]).toString().trim());
}

/** Records as a chart speaks of them: their table, what their groups are called and hold, and their clock. */
interface Records { from: string; called: string; by: Record<string, string>; at?: string }

const opened = "(r.opened_at at time zone 'Europe/London')", arrived = "(r.arrived_at at time zone 'Europe/London')";
const jobs: Records = { from: "(select * from yard_job where status is distinct from 'withdrawn') r join yard y on y.id = r.yard_id", called: "jobs", by: { kind: "r.kind", "part group": "r.part_group", part: "r.part", yard: "y.name" }, at: opened };
const lines: Records = { from: "invoice_line r join invoice i on i.id = r.invoice_id join yard y on y.id = i.yard_id", called: "invoice lines", by: { "service line": "r.service_line", service: "r.service", yard: "y.name" }, at: "i.issued_on" };
const stays: Records = { from: "berth_stay r", called: "stays", by: {}, at: arrived };
const enquiries: Records = { from: "enquiry r", called: "enquiries", by: { "came by": "r.came_by" } };
const hazards: Records = { from: "hazard r", called: "hazards", by: { severity: "r.severity::text", likelihood: "r.likelihood::text" } };

/** The condition that a mark's words say: “kind rework, opened March 2026”. */
function meets(of: Records, words: string): string {
  return words.split(", ").map((part) => {
    const name = Object.keys(of.by).sort((a, b) => b.length - a.length).find((n) => part.startsWith(`${n} `));
    if (name) return `${of.by[name]} = '${part.slice(name.length + 1)}'`;
    const when = part.replace(/^\w+ (week of )?/, ""), written = ["YYYY", '"Q"Q YYYY', "FMMonth YYYY", "FMMonth", "FMDay"].map((f) => `to_char(${of.at}, '${f}')`);
    return `'${when}' in (${written.join(", ")}, to_char(date_trunc('week', ${of.at}), 'FMDD FMMonth YYYY'))`;
  }).join(" and ");
}

const count = (of: Records, where: string) => ask(`select count(*) from ${of.from} where ${where}`);
const grouped = (n: number) => n.toLocaleString("en-GB");

/** The reading line says how many records of what are left. */
async function left(page: Page, of: Records, some: number) {
  await expect(page.locator("#line")).toContainText(new RegExp(`(^|\\D)${grouped(some)}\\s+of\\s+the\\s+${grouped(count(of, "true"))} (you may see|${of.called})`));
}

const thisYear = (t: string) => `${t} >= '2026-01-01'`, lastYear = (t: string) => `${t} >= '2025-12-01'`;
const cost = "sum(r.yard_cost)", net = "sum(r.net)", none = "";

/** The charts of a page: what they count, of which records, and what a mark's figure is. */
const charts: Record<string, Record<string, [of: Records, figure: string, where?: string]>> = {
  "Columns and bars": { g1: [jobs, "count(*)", lastYear(opened)], g2: [jobs, cost, lastYear(opened)], g3: [jobs, cost], g4: [jobs, cost, lastYear(opened)], g5: [jobs, "count(*)", lastYear(opened)], g6: [jobs, "round(sum(r.crew_hours), 1)", lastYear(opened)], g29: [jobs, "count(*)"], g30: [jobs, "count(*)"] },
  "Lines and areas": { g7: [jobs, "count(*)", lastYear(opened)], g8: [lines, none], g9: [lines, net], g10: [jobs, "count(*)"], g11: [jobs, none], g12: [stays, none], g31: [jobs, "count(*)"], g32: [lines, net] },
  "Parts and points": { g13: [enquiries, "count(*)"], g14: [lines, net, `${thisYear("i.issued_on")} and r.net > 0`], g15: [jobs, "count(*)", thisYear(opened)], g17: [lines, none, thisYear("i.issued_on")], g18: [jobs, "count(*)"], g19: [hazards, "count(*)"], g33: [jobs, "count(*)"] },
};

/** Chooses what may be done with the mark at hand. */
async function menu(page: Page, what: "without" | "drill") {
  await page.keyboard.press("m");
  const box = page.locator("#popover"), first = box.locator(`[data-mark=${what}]`).first();
  await expect(box.locator("[data-mark]").first()).toBeVisible();
  if (!(await first.isVisible())) await box.locator("summary").click();
  await first.click();
}

async function lift(page: Page) {
  await page.locator("#line .lift").first().click();
  await expect(page.locator("#line .lift")).toHaveCount(0);
}

for (const [name, on] of Object.entries(charts)) {
  test(`${name}: figure, records, proof, narrow, leave out, drill, legend`, async ({ page }) => {
    await signIn(page);
    await page.goto(`/dashboards/gallery?page=${encodeURIComponent(name)}`);
    await settled(page);
    for (const [id, [of, figure, where = "true"]] of Object.entries(on)) {
      const widget = page.locator(`#w-${id}`), chart = widget.locator(".chart[role=listbox]"), option = chart.getByRole("option");
      const at = async () => {
        await settled(page);
        await chart.focus();
        await page.keyboard.press("Home");
        for (let i = 0; i < 2; i++) await page.keyboard.press("ArrowRight");
      };
      await at();
      const said = (await option.textContent())!;
      await page.keyboard.press(" ");
      const words = (await page.locator("#line .narrowed").first().textContent())!.replace("✕", "").trim(), condition = meets(of, words);
      await left(page, of, count(of, condition));
      await lift(page);

      await at();
      if (figure) expect(Number(/^£?(-?[\d,.]+)/.exec(said)![1].replaceAll(",", "")), `${id}: ${said}`).toBe(Number(ask(`select ${figure} from ${of.from} where ${where} and ${condition}`)));
      if (figure || id === "g17") {
        await page.keyboard.press("r");
        await expect(page.locator("#drawer h2"), id).toHaveText(new RegExp(`^${grouped(count(of, `${where} and ${condition}`))} `));
        await page.getByRole("button", { name: "how it comes about" }).click();
        await expect(page.locator("#drawer .proof"), id).toContainText(new RegExp(`Made of\\s*${grouped(count(of, `${where} and ${condition}`))} `));
        await page.keyboard.press("Escape");
        await expect(page.locator("#drawer")).toBeHidden();
      }

      await at();
      await menu(page, "without");
      await left(page, of, count(of, "true") - count(of, condition));
      await lift(page);

      await at();
      await menu(page, "drill");
      await expect(widget.locator(".trail"), id).toBeVisible();
      const group = (await page.locator("#line .narrowed").first().textContent())!.replace("✕", "").trim();
      await left(page, of, count(of, meets(of, group)));
      await settled(page);
      await chart.focus();
      await page.keyboard.press("Backspace");
      await expect(widget.locator(".trail"), id).toHaveCount(0);
      await expect(page.locator("#line .lift")).toHaveCount(0);
      await hides(page, widget);
    }
  });
}

/** A legend of several hides the first of them, and shows it again. */
async function hides(page: Page, widget: Locator) {
  await settled(page);
  const legend = widget.locator(".legend button"), marks = await widget.locator(".mark").count();
  if ((await legend.count()) < 2) return;
  await legend.first().click();
  await expect(widget.locator(".mark")).not.toHaveCount(marks);
  await legend.first().click();
  await expect(widget.locator(".mark")).toHaveCount(marks);
}

test("Tables: a row narrows, is left out and taken apart; a cell leads to its records", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/gallery?page=Tables");
  for (const [id, of, label, where] of [["g24", jobs, "yard", thisYear(opened)], ["g34", jobs, "part group", thisYear(opened)]] as const) {
    await settled(page);
    const row = page.locator(`#w-${id} tbody tr`).nth(1), name = row.locator(".row-name"), value = (await name.textContent())!.trim();
    const condition = meets(of, `${label} ${value}`);
    await name.click();
    await left(page, of, count(of, condition));
    await lift(page);
    await name.focus();
    await menu(page, "without");
    await left(page, of, count(of, "true") - count(of, condition));
    await lift(page);
    await settled(page);
    await row.locator(".cell").first().click();
    await expect(page.locator("#drawer h2")).toHaveText(new RegExp(`^${grouped(count(of, `${condition} and ${where}`))} jobs`));
    await page.keyboard.press("Escape");
    await name.focus();
    await page.keyboard.press("Enter");
    await expect(page.locator(`#w-${id} .trail`)).toContainText(value);
    await left(page, of, count(of, condition));
    await lift(page);
  }
});

test("Figures by themselves, a funnel, and rows in rows: records, narrow, leave out", async ({ page }) => {
  await signIn(page);
  await page.goto(`/dashboards/gallery?page=${encodeURIComponent("Parts and points")}`);
  await settled(page);
  const heading = (some: number) => expect(page.locator("#drawer h2")).toHaveText(new RegExp(`^${grouped(some)} `));
  const shut = async () => {
    await page.keyboard.press("Escape");
    await expect(page.locator("#drawer")).toBeHidden();
  };
  const gauge = page.locator("#w-g20 .chart");
  await gauge.focus();
  await page.keyboard.press("Home");
  await page.keyboard.press("r");
  await heading(count(jobs, thisYear(opened)));
  await shut();
  for (const [i, of] of ["sum(r.net)", "sum(r.margin)"].entries()) {
    await page.locator("#w-g21 .figure:not(.since)").nth(i).click();
    await heading(count(lines, thisYear("i.issued_on")));
    const exact = (await page.locator("#drawer .total").getAttribute("data-exact"))!;
    expect(Number(exact)).toBe(ask(`select ${of} from ${lines.from} where ${thisYear("i.issued_on")}`));
    await shut();
  }
  // Whoever has come as far as a stage, whatever became of it then.
  const funnel = page.locator("#w-g16 .chart"), far = "('quoted', 'agreed', 'booked in', 'handed back')", reached = `stage in ${far} or stage = 'declined' and furthest_stage in ${far}`;
  const third = async () => {
    await settled(page);
    await funnel.focus();
    await page.keyboard.press("Home");
    for (let n = 0; n < 10 && !(await funnel.getByRole("option").textContent())!.includes("stage quoted"); n++) await page.keyboard.press("ArrowDown");
    await expect(funnel.getByRole("option")).toContainText("stage quoted or later");
  };
  await third();
  await page.keyboard.press("r");
  await heading(count(enquiries, reached));
  await shut();
  await third();
  await page.keyboard.press(" ");
  await left(page, enquiries, count(enquiries, reached));
  await lift(page);
  await third();
  await menu(page, "without");
  await left(page, enquiries, count(enquiries, `not (${reached})`));
  await lift(page);

  await page.goto("/dashboards/gallery?page=Tables");
  await settled(page);
  const row = page.locator('#w-g22 tbody tr[data-words*=", "]').first(), of = meets(lines, (await row.getAttribute("data-words"))!);
  const column = (await page.locator("#w-g22 tr.head th[data-words]").first().getAttribute("data-words"))!;
  await row.locator(".cell").first().click();
  await heading(count(lines, `${of} and ${meets(lines, column)}`));
  await shut();
  const outer = page.locator("#w-g23 tbody tr").first(), yard = meets(jobs, (await outer.getAttribute("data-words"))!);
  await outer.locator(".cell").first().click();
  await heading(count(jobs, `${yard} and ${lastYear(opened)}`));
  await shut();
  await outer.click({ button: "right", position: { x: 300, y: 12 } });
  await page.locator("#popover [data-mark=narrow]").click();
  await left(page, jobs, count(jobs, yard));
});

test("Records: a record of each list narrows the others and is left out, by mouse and by keyboard", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/gallery?page=Records");
  for (const [id, of, key] of [["g25", hazards, "r.title"], ["g26", hazards, "r.title"], ["g28", enquiries, "r.vessel_id::text"], ["g39", enquiries, "r.vessel_id::text"]] as const) {
    await settled(page);
    const record = page.locator(`#w-${id} .record-row`).nth(1), choose = record.locator(".pick");
    const some = count(of, `${key} = '${JSON.parse((await record.getAttribute("data-keys"))!)[0].is}'`);
    await choose.focus();
    await page.keyboard.press(" ");
    await left(page, of, some);
    await expect(choose).toHaveAttribute("aria-pressed", "true");
    await lift(page);
    await expect(choose).toHaveAttribute("aria-pressed", "false");
    await choose.focus();
    await menu(page, "without");
    await left(page, of, count(of, "true") - some);
    await lift(page);
    await settled(page);
    const box = (await record.boundingBox())!;
    await record.click({ position: { x: box.width - 6, y: box.height - 4 } });
    await left(page, of, some);
    await page.keyboard.press("Escape");
    await expect(page.locator("#line .lift")).toHaveCount(0);
  }
  for (const id of ["g27", "g37"]) {
    const record = page.locator(`#w-${id} .record-row`).nth(2);
    await record.locator(".pick").press("Enter");
    await expect(page.locator("#line .narrowed")).toContainText((await record.getAttribute("data-words"))!);
    await lift(page);
  }
  // A pin of a plan is chosen as well.
  const pin = page.locator("#w-g35 .pin").first();
  await pin.focus();
  await page.keyboard.press(" ");
  await expect(page.locator("#line")).toContainText(/1\s+of\s+the\s+5/);
  await expect(page.locator("#line"), "a boat's name is none of a yard").not.toContainText("boats");
});
