import { expect, test, type Page } from "@playwright/test";
import { faults, settled, signIn } from "./help";

/** A dataset of made-up values: each state is a kind of records. */
const made = `select row_number() over () as id, s.* from (
  select 'one' as state, 'Only one' as thing, 'a' as part, 12.5 as size, 3.0 as other, timestamp '2026-03-03' as at, timestamp '2026-03-09' as till, 54.2 as lat, -3.1 as long
  union all select 'negative', 'thing ' || i, chr(96 + i % 3 + 1), (i - 4) * 1250.5, i, timestamp '2026-01-01' + i * interval '1 month', timestamp '2026-01-20' + i * interval '1 month', 48 + i, i - 12 from generate_series(1, 8) i
  union all select 'long', 'A name that goes on for very much longer than any drawing has room for, number ' || i, 'part of something with a long name ' || i % 3, i * 1234567.89, i * 10, timestamp '2026-01-01' + i * interval '1 month', timestamp '2026-02-11' + i * interval '1 month', 50 + i, i from generate_series(1, 12) i
  union all select 'many', 'thing ' || i % 200, 'part ' || i / 200, 1 + (i * 7919) % 97, (i * 31) % 50, timestamp '2021-01-01' + (i % 200) * interval '1 week', timestamp '2021-01-05' + (i % 200) * interval '1 week', 50 + (i % 50) / 10.0, (i % 37) / 10.0 from generate_series(0, 1999) i
) s`;

const fields = [
  { name: "state", column: "state", label: "State" }, { name: "thing", column: "thing", label: "Thing" }, { name: "part", column: "part", label: "Part", list: ["a", "b", "c", "part 0", "part 1"] },
  { name: "size", column: "size", label: "Size" }, { name: "other", column: "other", label: "Other" }, { name: "at", column: "at", label: "At", time: "planned" },
  { name: "till", column: "till", label: "Till", time: "planned" }, { name: "place", label: "Place", position: ["lat", "long"] },
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

const records = [{ count: "records" }], heading = { heading: "thing" };
const outline = { type: "Polygon", coordinates: [[[-10, 45], [15, 45], [15, 65], [-10, 65], [-10, 45]]] };

/** Each form that is text: tables, lists of records and key figures. */
const texts: Record<string, object> = {
  records: { measures: records, form: "records", show: ["thing", "part", "size", "at"] }, top: { measures: [size, { count: "records" }], by: [{ field: "thing", largest: 10, others: true }], form: "table" },
  grouped: { measures: [size, { sum: "other" }], by: [{ field: "part" }, { field: "thing", largest: 5, others: true, within: true }], form: "grouped table" },
  pivot: { measures: [size], by: [{ field: "part" }, { field: "thing", largest: 4, others: true }], split: { field: "at", grain: "year" }, form: "pivot", finish: { cells: [{ of: 0, bar: {} }] } },
  figures: { measures: [size, { average: "other" }, { count: "records" }], form: "key figures" }, board: { measures: records, form: "board", show: ["size", "at"], finish: { stage: "part", ...heading } },
  cards: { measures: records, form: "cards", show: ["part", "size"], finish: heading }, latest: { measures: records, form: "latest", show: ["part"], finish: { from: "at", ...heading } },
  calendar: { measures: records, form: "calendar", show: ["part"], finish: { from: "at", ...heading } }, timeline: { measures: records, form: "timeline", finish: { from: "at", to: "till", stage: "part", ...heading } },
  plan: { measures: records, form: "plan", finish: { position: "place", stage: "part", outline, ...heading } },
};

/** What is wrong with a text form: it is wider than its place and cannot be scrolled, or words are cut that nothing else tells, or lie on each other. */
const untidy = (which: string) => {
  const place = document.querySelector(which)!, out: string[] = [];
  const scrolls = (e: Element | null): boolean => !!e && place.contains(e) && (/auto|scroll/.test(getComputedStyle(e).overflowX) || scrolls(e.parentElement));
  const right = place.getBoundingClientRect().right;
  for (const e of place.querySelectorAll<HTMLElement>("*")) {
    const box = e.getBoundingClientRect(), style = getComputedStyle(e), said = (e.firstChild?.textContent ?? "").trim().slice(0, 40);
    if (box.width === 0 || e.closest("svg") || style.visibility === "hidden") continue;
    if (box.right > right + 2 && !scrolls(e.parentElement)) out.push(`“${said}” (${e.className}) stands out of its place`);
    if (style.textOverflow === "ellipsis" && e.scrollWidth > e.clientWidth + 1 && !e.closest("[title]") && !e.hasAttribute("aria-hidden")) out.push(`“${said}” is shortened, and nothing tells it whole`);
  }
  for (const labels of [".scale span:not(.left-out)", ".pin-name:not(.left-out)", ".figure-box", "thead tr:last-child th"]) {
    const boxes = [...place.querySelectorAll(labels)].map((l) => l.getBoundingClientRect());
    boxes.forEach((b, i) => boxes.slice(0, i).forEach((o) => {
      if (Math.min(b.right, o.right) - Math.max(b.left, o.left) > 1.5 && Math.min(b.bottom, o.bottom) - Math.max(b.top, o.top) > 2.5) out.push(`${labels} ${i} lies on another`);
    }));
  }
  return out;
};

/** A form in a state, as a chart. */
function chart(form: object, state: string) {
  const where = { field: "state", is: state }, { where: own, finish } = form as { where?: object; finish?: object };
  const said = { pictures_without: ["title", "subtitle", "caption", "conditions", "made"] };
  return JSON.stringify({ version: 1, dataset: "states", ...form, finish: { ...finish, ...said }, where: own ? { all: [own, where] } : where });
}

/** What the server answers for a form in a state. @param {Page} page */
async function answer(page: Page, token: string, form: object, state: string) {
  const r = await page.request.post("/charts/answer", { form: { document: chart(form, state) }, headers: { "X-CSRF-Token": token, Accept: "application/json" } });
  return r.json();
}

/** Where the picture that the server makes of a chart is not what the browser draws: other shapes, other words, or more than a pixel beside. */
async function beside(page: Page, token: string, form: object, state: string, model: unknown) {
  const r = await page.request.post("/charts/picture", { form: { document: chart(form, state), kind: "svg" }, headers: { "X-CSRF-Token": token } });
  expect(r.headers()["content-type"], await r.text()).toBe("image/svg+xml");
  return page.evaluate(async ({ svg, model }) => {
    const { picture } = await import(/* a module of the page */ ("/static/drawing/picture.js" as string)), { elements, pen } = await import(/* another */ ("/static/reading/elements.js" as string));
    const flat = (root: Element) => [...root.querySelectorAll("*")].map((e) => ({ what: `${e.tagName} ${e.tagName === "text" ? e.firstChild?.textContent : ""}`, at: [...e.attributes].filter((a) => /^(x|y|x1|x2|y1|y2|cx|cy|r|width|height|d|transform)$/.test(a.name)).sort((a, b) => (a.name < b.name ? -1 : 1)).flatMap((a) => a.value.match(/-?\d+(\.\d+)?/g) ?? []).map(Number) }));
    const root = new DOMParser().parseFromString(svg, "image/svg+xml").documentElement, side = (name: string) => Number(root.getAttribute(name));
    const sent = flat(root), drawn = flat(elements(picture({ drawing: model }, side("width"), side("height"), pen)));
    if (sent.length !== drawn.length) return [`${sent.length} shapes are sent, ${drawn.length} drawn`];
    return sent.flatMap((s, i) => (s.what !== drawn[i].what || s.at.length !== drawn[i].at.length || s.at.some((v, k) => Math.abs(v - drawn[i].at[k]) > 1) ? [`${s.what} at ${s.at.slice(0, 8)} is drawn as ${drawn[i].what} at ${drawn[i].at.slice(0, 8)}`] : [])).slice(0, 5);
  }, { svg: await r.text(), model });
}

/** Signs in as a builder and keeps the dataset of the states; returns the token of the session. @param {Page} page */
async function prepared(page: Page) {
  await signIn(page, "mara.quill@skerrin.example");
  await page.goto("/charts/edit?dataset=yard-jobs");
  await settled(page);
  const token = (await page.locator("[data-csrf]").first().getAttribute("data-csrf"))!;
  const kept = await page.request.put("/api/v1/datasets/states", { data: { version: 1, name: "states", title: "States", record: ["record", "records"], source: "yard-desk", from: { select: made }, key: ["id"], date: "at", fields, row_rules: [{ roles: ["director"], where: "every row" }] }, headers: { "X-CSRF-Token": token, "If-Match": "*" } });
  expect(kept.status(), await kept.text()).toBeLessThan(300);
  return token;
}

test("every form in every state: empty, one value, negative, long names, two thousand marks, small and large", async ({ page }) => {
  const token = await prepared(page);
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
          const { Chart } = await import(/* a module of the page */ ("/static/reading/draw.js" as string));
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
      expect.soft(await beside(page, token, form, state, a.drawing), `${name}, ${state}: the server's picture`).toEqual([]);
    }
  }
  expect(drawn).toBeGreaterThan(40);
});

test("every list and table in every state has room for its words", async ({ page }) => {
  const token = await prepared(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  for (const [name, form] of Object.entries(texts)) {
    for (const state of ["none", "one", "negative", "long", "many"]) {
      const a = await answer(page, token, form, state);
      for (const [width, height] of [[300, 240], [420, 260], [1240, 640]]) {
        await page.evaluate(async ({ a, width, height }) => {
          const { Widget } = await import(/* a module of the page */ ("/static/reading/widget.js" as string));
          document.querySelector("#state-place")?.remove();
          const place = document.createElement("section");
          place.id = "state-place";
          place.className = "widget";
          place.style.cssText = `position:fixed;left:0;top:0;width:${width}px;height:${height}px;background:var(--paper);z-index:99`;
          place.innerHTML = '<div class="widget-head"><h2></h2></div><div class="widget-body"></div>';
          document.body.append(place);
          new Widget(place, { choose: () => {}, records: () => {} }).show(a);
          await document.fonts.ready;
          await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
        }, { a, width, height });
        if (process.env.PICTURES) await page.screenshot({ path: `${process.env.PICTURES}/${name}-${state}-${width}.png`, clip: { x: 0, y: 0, width, height } });
        expect.soft(await page.evaluate(untidy, "#state-place .widget-body"), `${name}, ${state}, ${width} by ${height}`).toEqual([]);
        expect.soft(await page.evaluate(() => document.querySelector<HTMLElement>("#state-place .widget-body")!.innerText.length + document.querySelectorAll("#state-place .pin").length), `${name}, ${state}: says or shows something`).toBeGreaterThan(0);
      }
    }
  }
});

test("a cell of a running total stands for all that it goes over, Others among it", async ({ page }) => {
  const token = await prepared(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  const a = await answer(page, token, { measures: [{ sum: "size", then: { running_total: {} } }], by: [{ field: "thing", largest: 2, others: true }], form: "table" }, "negative");
  const marks = await page.evaluate(async (a) => {
    const { Widget } = await import(/* a module of the page */ ("/static/reading/widget.js" as string));
    const place = document.createElement("section"), marks: { keys: { run: object[] }[]; was: string }[] = [];
    place.innerHTML = '<div class="widget-head"><h2></h2></div><div class="widget-body"></div>';
    document.body.append(place);
    new Widget(place, { choose: () => {}, records: (m: (typeof marks)[0]) => marks.push(m) }).show(a);
    for (const cell of place.querySelectorAll<HTMLElement>("button.cell")) cell.click();
    return marks;
  }, a);
  expect(marks.map((m) => m.keys[0].run.length)).toEqual([1, 2, 3]);
  expect(marks[2].keys[0].run[2]).toEqual({ others: true });
  expect(marks[2].was, "the sum of all eight").toBe("5002.0");
});
