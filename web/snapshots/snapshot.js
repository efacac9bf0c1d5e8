/**
 * A snapshot: widgets as they were seen, and what is drawn over them. Each thing that is drawn holds to a mark, a
 * cell or a place of a widget, so that it stays there in whatever room there is.
 */
import { fill, headers, post, say, Trouble } from "../page/api.js";
import { look } from "../page/look.js";
import { Widget } from "../reading/widget.js";

/** @typedef {{widget: string, mark?: string, cell?: number, x?: number, y?: number, words?: string}} Anchor */
/** @typedef {{kind: string, from: Anchor, to?: Anchor, text?: string}} Note */

const space = "http://www.w3.org/2000/svg", cells = "td, th[scope=row], .figure, .slip";
const root = /** @type {HTMLElement} */ (document.getElementById("snapshot")), place = /** @type {HTMLElement} */ (root.querySelector(".snapshot-place"));
const list = /** @type {HTMLElement} */ (root.querySelector(".drawn-list ol")), wrong = /** @type {HTMLElement} */ (root.querySelector(".drawn-list .wrong"));
const { at = "", may } = root.dataset;
const svg = document.createElementNS(space, "svg");
svg.setAttribute("class", "drawn");
svg.setAttribute("aria-hidden", "true");
place.append(svg);

/** @type {Map<string, Widget>} */
const widgets = new Map();
/** @type {Note[]} */
let notes = [];
let revision = 0, tool = "";
/** Where the arrow begins that is being drawn. @type {Anchor | null} */
let begun = null;
/** Whether a chart has taken a click already. */
let taken = false;

/** @param {string} id */
const section = (id) => /** @type {HTMLElement} */ (document.getElementById(`w-${id}`));

/** @param {HTMLElement} of a part of the page */
const titleOf = (of) => of.querySelector("h2")?.textContent ?? "";

// Where things are.

/** The box of what something holds to, within the place. @param {Anchor} a @returns {{x: number, y: number, rx: number, ry: number}} */
function where(a) {
  const origin = place.getBoundingClientRect(), widget = widgets.get(a.widget), part = section(a.widget), box = part.getBoundingClientRect();
  const chart = widget?.chart, mark = a.mark ? chart?.places.get(a.mark) : undefined;
  if (chart && mark) {
    const drawn = chart.svg.getBoundingClientRect();
    return { x: drawn.left - origin.left + mark.x, y: drawn.top - origin.top + mark.y, rx: 15, ry: 15 };
  }
  const cell = a.cell ? part.querySelectorAll(cells)[a.cell - 1] : undefined;
  if (cell) {
    const c = cell.getBoundingClientRect();
    return { x: (c.left + c.right) / 2 - origin.left, y: (c.top + c.bottom) / 2 - origin.top, rx: c.width / 2 + 6, ry: c.height / 2 + 4 };
  }
  return { x: box.left - origin.left + box.width * (a.x ?? 0.5), y: box.top - origin.top + box.height * (a.y ?? 0.5), rx: 26, ry: 20 };
}

/** Where the line of an arrow meets what it holds to, coming from a side. @param {{x: number, y: number, rx: number, ry: number}} box @param {Anchor} a @param {number} angle */
const edge = (box, a, angle) => (a.mark || a.cell ? { x: box.x + box.rx * Math.cos(angle), y: box.y + box.ry * Math.sin(angle) } : { x: box.x, y: box.y });

/** @param {string} name @param {Record<string, string | number>} attributes */
function draw(name, attributes, text = "") {
  const out = document.createElementNS(space, name);
  for (const [key, value] of Object.entries(attributes)) out.setAttribute(key, String(value));
  out.textContent = text;
  svg.append(out);
}

/** Puts a note beside a point where it covers as little as can be. @param {string} text @param {{x: number, y: number}} at @param {DOMRect[]} others */
function put(text, at, others) {
  const note = document.createElement("div");
  note.className = "drawn-note";
  note.textContent = text;
  place.append(note);
  const w = note.offsetWidth, h = note.offsetHeight, wide = place.clientWidth, high = place.clientHeight;
  const tries = [[at.x + 18, at.y - h / 2], [at.x - w - 18, at.y - h / 2], [at.x - w / 2, at.y - h - 18], [at.x - w / 2, at.y + 18], [at.x + 18, at.y + 18], [at.x - w - 18, at.y - h - 18]]
    .map(([x, y]) => new DOMRect(Math.max(0, Math.min(wide - w, x)), Math.max(0, Math.min(high - h, y)), w, h));
  const covers = (/** @type {DOMRect} */ r) => others.reduce((sum, o) => sum + Math.max(0, Math.min(r.right, o.right) - Math.max(r.left, o.left)) * Math.max(0, Math.min(r.bottom, o.bottom) - Math.max(r.top, o.top)), 0)
    + (r.left < at.x && at.x < r.right && r.top < at.y && at.y < r.bottom ? w * h : 0);
  const best = tries.reduce((a, b) => (covers(b) < covers(a) ? b : a));
  note.style.left = `${best.left}px`;
  note.style.top = `${best.top}px`;
  others.push(best);
}

/** Draws everything where it is now. */
function redraw() {
  svg.replaceChildren();
  place.querySelectorAll(".drawn-note").forEach((n) => n.remove());
  /** @type {DOMRect[]} */
  const boxes = [];
  notes.forEach((note, i) => {
    const from = where(note.from);
    if (note.kind === "ring") for (const c of ["under", "line"]) draw("ellipse", { class: c, cx: from.x, cy: from.y, rx: from.rx, ry: from.ry });
    if (note.to) {
      const to = where(note.to), angle = Math.atan2(to.y - from.y, to.x - from.x), tip = edge(to, note.to, angle + Math.PI), tail = edge(from, note.from, angle);
      for (const c of ["under", "line"]) draw("line", { class: c, x1: tail.x, y1: tail.y, x2: tip.x - 8 * Math.cos(angle), y2: tip.y - 8 * Math.sin(angle) });
      Object.assign(from, tail);
      const side = (/** @type {number} */ by) => `${tip.x - 14 * Math.cos(angle + by)},${tip.y - 14 * Math.sin(angle + by)}`;
      draw("polygon", { class: "head", points: `${tip.x},${tip.y} ${side(0.45)} ${side(-0.45)}` });
    }
    const badge = note.kind === "ring" ? { x: from.x + from.rx * 0.75, y: from.y - from.ry * 0.75 - 4 } : note.kind === "note" ? { x: from.x, y: from.y - 20 } : from;
    if (note.kind === "note") for (const c of ["under", "line"]) draw("line", { class: c, x1: badge.x, y1: badge.y, x2: from.x, y2: from.y });
    draw("circle", { class: "count", cx: badge.x, cy: badge.y, r: 10 });
    draw("text", { class: "number", x: badge.x, y: badge.y + 4 }, String(i + 1));
    boxes.push(new DOMRect(badge.x - 10, badge.y - 10, 20, 20));
    if (note.text) put(`${i + 1} ${note.text}`, badge, boxes);
  });
}

let waits = 0;
const soon = () => {
  cancelAnimationFrame(waits);
  waits = requestAnimationFrame(() => requestAnimationFrame(redraw)); // once the charts have been laid out
};

// What is drawn, as a list.

/** @param {Anchor} a */
const named = (a) => [a.words, titleOf(section(a.widget))].filter(Boolean).join(", ");

function relist() {
  list.replaceChildren(...notes.map((note, i) => {
    const line = document.createElement("li");
    line.append(`${note.kind === "note" ? "Note" : note.kind === "ring" ? "Ring around" : "Arrow from"} ${note.kind === "note" ? "on " : ""}${named(note.from)}${note.to ? ` to ${named(note.to)}` : ""}`);
    if (!may) {
      if (note.text) line.append(`: ${note.text}`);
      return line;
    }
    const text = Object.assign(document.createElement("input"), { className: "form-control", maxLength: 500, value: note.text ?? "", autocomplete: "off", placeholder: note.kind === "note" ? "what it says" : "words, if any" });
    text.setAttribute("aria-label", `What ${i + 1} says`);
    text.addEventListener("change", () => {
      note.text = text.value.trim();
      void keep();
      redraw();
    });
    const remove = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: "remove" });
    remove.setAttribute("aria-label", `remove ${i + 1}: ${named(note.from)}`);
    remove.addEventListener("click", () => {
      notes.splice(i, 1);
      relist();
      redraw();
      void keep();
      /** @type {HTMLElement | null} */ (root.querySelector("[data-tool]"))?.focus();
      say("It is removed.");
    });
    line.append(" ", remove, text);
    return line;
  }));
}

/** Keeps what is drawn; a note without words waits for them. */
let keeping = Promise.resolve();
function keep() {
  keeping = keeping.then(async () => {
    try {
      const answer = await fetch(`${at}/notes`, { method: "POST", headers: { ...headers(), "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify({ revision, notes: notes.filter((n) => n.kind !== "note" || n.text) }) });
      const said = await answer.json();
      if (!answer.ok) throw new Trouble(said.detail ?? "Something went wrong here.", answer.status, "");
      revision = said.revision;
      wrong.hidden = true;
    } catch (error) {
      wrong.textContent = `${/** @type {Error} */ (error).message} What you drew last is not kept; load the page again to see what is.`;
      wrong.hidden = false;
    }
  });
  return keeping;
}

// Drawing.

/** @param {string} to what is drawn from now on; "" for nothing */
function choose(to) {
  tool = to;
  begun = null;
  root.toggleAttribute("data-drawing", !!tool);
  for (const b of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll("[data-tool]"))) b.setAttribute("aria-pressed", String(b.dataset.tool === tool));
  /** @type {HTMLElement} */ (root.querySelector(".draw-whole")).hidden = !tool;
  tell(tool === "arrow" ? "Choose where it begins: a mark, a figure, or a place. Escape ends it." : tool ? "Choose a mark, a figure, or a place. Escape ends it." : "");
}

/** @param {string} words */
const tell = (words) => { /** @type {HTMLElement} */ (root.querySelector("[data-told]")).textContent = words; };

/** Something is chosen to be drawn on. @param {Anchor} on */
function drawOn(on) {
  if (tool === "arrow" && !begun) {
    begun = on;
    tell(`It begins at ${named(on)}. Choose where it leads.`);
    return;
  }
  notes.push(begun ? { kind: tool, from: begun, to: on } : { kind: tool, from: on });
  const written = tool === "note";
  choose("");
  relist();
  redraw();
  if (!written) void keep();
  /** @type {HTMLElement | null | undefined} */ (list.lastElementChild?.querySelector("input"))?.focus();
}

/** @param {HTMLElement} part @param {Element} cell @returns {Anchor} */
const onCell = (part, cell) => ({ widget: part.dataset.widget ?? "", cell: [...part.querySelectorAll(cells)].indexOf(cell) + 1, words: /** @type {HTMLElement} */ (cell).innerText.trim().replace(/\s+/g, " ").slice(0, 80) });

place.addEventListener("click", (e) => {
  if (!tool) return;
  if (taken) {
    taken = false;
    return;
  }
  const target = /** @type {HTMLElement} */ (e.target), part = /** @type {HTMLElement | null} */ (target.closest(".widget"));
  if (!part) return;
  e.preventDefault();
  const cell = target.closest(cells), box = part.getBoundingClientRect();
  const share = (/** @type {number} */ v) => Math.round(Math.max(0, Math.min(1, v)) * 1000) / 1000;
  drawOn(cell ? onCell(part, cell) : { widget: part.dataset.widget ?? "", x: share((e.clientX - box.left) / box.width), y: share((e.clientY - box.top) / box.height) });
});
root.addEventListener("click", (e) => {
  const d = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"))?.dataset;
  if (d?.tool) choose(d.tool === tool ? "" : d.tool);
  if (d && "whole" in d) drawOn({ widget: /** @type {HTMLSelectElement} */ (root.querySelector("#draw-on")).value, x: 0.5, y: 0.5 });
});
document.addEventListener("keydown", (e) => {
  if (e.key !== "Escape" || !tool) return;
  const chosen = tool;
  choose("");
  /** @type {HTMLElement | null} */ (root.querySelector(`[data-tool="${chosen}"]`))?.focus();
});

document.querySelector("[data-now]")?.addEventListener("click", async (e) => {
  const to = /** @type {HTMLElement} */ (document.querySelector("[data-now-place]")), by = /** @type {HTMLButtonElement} */ (e.currentTarget);
  by.disabled = true;
  try {
    fill(to, await post(`${at}/now`, {}));
  } catch (error) {
    to.textContent = /** @type {Error} */ (error).message;
  }
  by.disabled = false;
});

// The beginning.

look(root.dataset.look ?? "");
for (const part of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll(".widget"))) {
  const d = part.dataset, id = d.widget ?? "";
  part.style.gridColumn = `${Number(d.x) + 1} / span ${d.w}`;
  part.style.gridRow = `${Number(d.y) + 1} / span ${d.h}`;
  part.style.setProperty("--h", d.h ?? "4");
  const widget = new Widget(part, {
    choose: (_, words) => {
      const p = widget.chart?.at;
      if (!p || !words) return;
      widget.clear();
      if (!tool) return;
      taken = true;
      setTimeout(() => { taken = false; }); // a click has gone by then; a key brings none
      drawOn({ widget: id, mark: `${p.series} ${p.group}`, words });
    },
    records: () => {},
  });
  widgets.set(id, widget);
}
try {
  const kept = await post(`${at}/answers`, {}, { json: true });
  for (const [id, widget] of widgets) widget.show(kept.widgets[id]);
  notes = kept.notes ?? [];
  revision = kept.revision;
} catch (error) {
  place.textContent = /** @type {Error} */ (error).message;
}
root.removeAttribute("aria-busy");
await document.fonts.ready;
relist();
soon();
new ResizeObserver(soon).observe(place);
place.addEventListener("scroll", soon, true);
