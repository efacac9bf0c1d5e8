import { expect, test, type Page } from "@playwright/test";
import { faults, settled, signIn } from "./help";

/** A dataset of made-up values: each state is a kind of records. */
const made = `select row_number() over () as id, s.* from (
  select 'one' as state, 'Only one' as thing, 'a' as part, 12.5 as size, 3.0 as other, timestamp '2026-03-03' as at
  union all select 'negative', 'thing ' || i, chr(96 + i % 3 + 1), (i - 4) * 1250.5, i, timestamp '2026-01-01' + i * interval '1 month' from generate_series(1, 8) i
  union all select 'long', 'A name that goes on for very much longer than any drawing has room for, number ' || i, 'part of something with a long name ' || i % 3, i * 1234567.89, i * 10, timestamp '2026-01-01' + i * interval '1 month' from generate_series(1, 12) i
  union all select 'many', 'thing ' || i % 200, 'part ' || i / 200, 1 + (i * 7919) % 97, (i * 31) % 50, timestamp '2021-01-01' + (i % 200) * interval '1 week' from generate_series(0, 1999) i
) s`;

const fields = [
  { name: "state", column: "state", label: "State" }, { name: "thing", column: "thing", label: "Thing" }, { name: "part", column: "part", label: "Part" },
  { name: "size", column: "size", label: "Size" }, { name: "other", column: "other", label: "Other" }, { name: "at", column: "at", label: "At", time: "planned" },
];

const size = { sum: "size" }, by = [{ field: "thing" }], along = [{ field: "at", grain: "week" }], split = { field: "part" };

/** Each drawn form with what it needs. */
const forms: Record<string, object> = {
  columns: { measures: [size], by, form: "columns" }, stacked: { measures: [size], by, split, form: { columns: "stacked" } }, whole: { measures: [size], by, split, form: { columns: "to 100%" } },
  bars: { measures: [size], by, split, form: "bars" }, line: { measures: [size], by: along, split, form: "line" }, area: { measures: [size], by: along, split, form: { area: "stacked" } },
  combined: { measures: [size, { sum: "other" }], by, form: "columns and lines" }, pie: { measures: [size], by, form: "pie" }, donut: { measures: [size], by, form: "donut" },
  scatter: { measures: [size, { sum: "other" }], by, split, form: "scatter" }, heat: { measures: [size], by, split, form: "heat map" }, radar: { measures: [size], by, split, form: "radar" },
  gauge: { measures: [size], form: "gauge", finish: { low: -100000, high: 100000, bands: [{ from: -100000, name: "below", tone: "poor" }, { from: 0, name: "above", tone: "good" }] } },
  compared: { measures: [size], by: [{ field: "at", grain: "month" }], where: { field: "at", within: { from: "2026-01-01", to: "2026-12-31" } }, compare: "year before", lines: [{ at: "average" }], trend: true, forecast: 3, form: "columns" },
};

/** What the server answers for a form in a state. @param {Page} page */
async function answer(page: Page, token: string, form: object, state: string) {
  const where = { field: "state", is: state }, own = (form as { where?: object }).where;
  const document = JSON.stringify({ version: 1, dataset: "states", ...form, where: own ? { all: [own, where] } : where });
  const r = await page.request.post("/charts/answer", { form: { document }, headers: { "X-CSRF-Token": token, Accept: "application/json" } });
  return r.json();
}

test("every form in every state: empty, one value, negative, long names, two thousand marks, small and large", async ({ page }) => {
  await signIn(page, "mara.quill@skerrin.example");
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  const token = (await page.locator("[data-csrf]").first().getAttribute("data-csrf"))!;
  const kept = await page.request.put("/api/v1/datasets/states", { data: { version: 1, name: "states", title: "States", record: ["record", "records"], source: "yard-desk", from: { select: made }, key: ["id"], date: "at", fields, row_rules: [{ roles: ["director"], where: "every row" }] }, headers: { "X-CSRF-Token": token } });
  expect(kept.status(), await kept.text()).toBeLessThan(300);
  let drawn = 0;
  for (const [name, form] of Object.entries(forms)) {
    for (const state of ["none", "one", "negative", "long", "many"]) {
      const a = await answer(page, token, form, state);
      if (!a.drawing) {
        expect(a.nothing, `${name}, ${state}: says why there is nothing`).toBeTruthy();
        continue;
      }
      drawn++;
      for (const [width, height] of [[160, 120], [420, 260], [1240, 640]]) {
        const marks = await page.evaluate(async ({ model, width, height }) => {
          const { Chart } = await import(/* a module of the page */ ("/static/js/draw.js" as string));
          document.querySelector("#state-place")?.remove();
          const place = document.createElement("div");
          place.id = "state-place";
          place.style.cssText = `position:fixed;left:0;top:0;width:${width}px;height:${height}px;background:var(--paper);z-index:99`;
          document.body.append(place);
          const chart = new Chart(place, { choose: () => {}, records: () => {} });
          await document.fonts.ready;
          chart.draw(model, "state");
          chart.dispose();
          return chart.places.size as number;
        }, { model: a.drawing, width, height });
        const wrong = await page.evaluate(faults, "#state-place svg.drawing");
        if (process.env.PICTURES) await page.screenshot({ path: `${process.env.PICTURES}/${name}-${state}-${width}.png`, clip: { x: 0, y: 0, width, height } });
        if (state !== "none") expect.soft(marks, `${name}, ${state}: marks are drawn`).toBeGreaterThan(0);
        expect.soft(wrong, `${name}, ${state}, ${width} by ${height}`).toEqual([]);
      }
    }
  }
  expect(drawn).toBeGreaterThan(40);
});
