/** One widget on a sheet or in the chart editor: shows answers, keeps its drawing. */
import { changeable } from "./changing.js";
import { Chart } from "./draw.js";
import { Rows } from "./rows.js";
import { button, fill, say } from "../page/api.js";
import { colour } from "../drawing/shapes.js";
import { pen } from "./elements.js";

/**
 * @typedef {{title: string, form: string, sentence: string, subtitle?: string, caption?: string, no_title?: boolean, notes?: {words: string, mark?: object, cut?: boolean}[], cut?: object, fresh: string, live: boolean, drawing?: import("../drawing/drawing.js").Drawing, whole: Record<string, any>, nothing?: string, html: string, grain?: string, grains?: string[], closer?: boolean, trail?: string[], parts?: string, deeper?: {into: string, label: string, place: number}}} Answer
 */

export class Widget {
  /** @param {HTMLElement} place a section with .widget-head and .widget-body @param {import("./draw.js").Listener} listener */
  constructor(place, listener) {
    this.place = place;
    this.listener = listener;
    this.heading = /** @type {HTMLElement} */ (place.querySelector("h2"));
    this.body = /** @type {HTMLElement} */ (place.querySelector(".widget-body"));
    /** @type {Chart | null} */
    this.chart = null;
    /** @type {Answer | null} */
    this.answer = null;
    this.body.addEventListener("click", (e) => this.click(e));
    this.rows = new Rows(this);
  }

  /** A table and a list are sorted by their headings: measures largest first, and the other way round when chosen again. */
  sortable() {
    const sort = this.listener.sort, now = this.listener.sorted?.();
    if (!sort) return;
    for (const head of /** @type {NodeListOf<HTMLElement>} */ (this.body.querySelectorAll("thead th[data-by], table.grid tr.head th[data-measure]:not([data-keys])"))) {
      const by = head.dataset.by ? { field: head.dataset.by } : { measure: Number(head.dataset.measure) };
      const is = now && (now.field ?? "") === (by.field ?? "") && (now.measure ?? 0) === (by.measure ?? 0);
      const choose = button("", () => sort({ ...by, descending: is ? !now?.descending : !by.field }));
      choose.className = "by-heading";
      choose.append(...head.childNodes);
      if (is) {
        choose.append(now?.descending ? " ▼" : " ▲");
        head.setAttribute("aria-sort", now?.descending ? "descending" : "ascending");
      }
      head.append(choose);
    }
  }

  /** Key figures that stand beside what was before say why they changed. */
  askable() {
    if (!this.listener.why) return;
    for (const since of /** @type {NodeListOf<HTMLElement>} */ (this.body.querySelectorAll(".figure.since"))) {
      const whole = { ...this.answer?.whole, measure: Number(since.dataset.measure) };
      const why = button("why", () => this.listener.why?.({ now: whole, before: { ...whole, then: JSON.parse(since.dataset.then ?? "null") }, nowWords: "", beforeWords: "", how: "before" }));
      why.setAttribute("aria-label", `Why ${since.parentElement?.querySelector("span")?.textContent ?? "it"} changed`);
      since.after(why);
    }
  }

  /** Takes the choice back without telling. */
  clear() {
    this.chart?.clear();
    this.rows.clear();
  }

  /** What was drilled into, each of which leads back to it. @param {Answer} a */
  trail(a) {
    this.place.querySelector(".trail")?.remove();
    if (!a.trail?.length) return;
    const nav = document.createElement("span");
    nav.className = "trail";
    nav.setAttribute("role", "navigation");
    nav.setAttribute("aria-label", `Drilled down in ${a.title}`);
    ["All", ...a.trail].forEach((words, depth, all) => {
      if (depth) nav.append(" › ");
      if (depth === all.length - 1) return nav.append(`${words}${a.parts ? `, by ${a.parts}` : ""}`);
      const back = button(words, () => {});
      back.dataset.up = String(depth);
      nav.append(back);
    });
    this.heading.append(" ", nav);
  }

  /** A click on a number leads to its records. @param {MouseEvent} e */
  click(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    const fold = /** @type {HTMLElement | null} */ (target.closest("[data-fold]"));
    if (fold) {
      open(/** @type {HTMLTableRowElement} */ (fold.closest("tr")), fold);
      return;
    }
    if (this.rows.click(e)) return;
    const cell = /** @type {HTMLElement | null} */ (target.closest(".cell, .figure"));
    if (!cell || !this.answer) return;
    const row = cell.closest("tr"), column = /** @type {HTMLTableCellElement | null} */ (cell.closest("td"));
    const head = column && /** @type {HTMLElement} */ (cell.closest("table")?.querySelector("tr.head")?.children[this.column(column)]);
    const of = (head ?? cell).dataset;
    /** @type {Record<string, any>} */
    const mark = { ...this.answer.whole, measure: Number(of.measure), was: cell.dataset.was };
    const run = cell.dataset.run ? JSON.parse(cell.dataset.run) : null, group = JSON.parse(row?.dataset.keys ?? "[]") ?? [];
    if (run) {
      group.splice(-1, 1, run.key);
      mark.was = run.was;
    }
    if (row) mark.keys = this.keys(group, of.keys ? JSON.parse(of.keys) : [], Number(cell.closest("table")?.dataset.by ?? 0));
    if (cell.dataset.then) mark.then = JSON.parse(cell.dataset.then);
    this.listener.records(mark, [row && of.words, row?.dataset.words].filter(Boolean).join(", "));
  }

  /** Which column a cell stands in: merged cells to its left leave it where it is. @param {HTMLTableCellElement} td */
  column(td) {
    const row = /** @type {HTMLTableRowElement} */ (td.parentElement), head = td.closest("table")?.querySelector("tr.head");
    return td.cellIndex + Math.max(0, (head?.children.length ?? 0) - row.cells.length);
  }

  /** The keys of a cell: those of its row, up to where the split begins, and of its column. @param {object[]} row @param {object[]} column @param {number} by */
  keys(row, column, by) {
    if (column.length === 0) return row;
    return [...row, ...Array.from({ length: Math.max(0, by - row.length) }, () => ({})), ...column];
  }

  /** The old drawing stays; after a moment a thin line says that something is under way, and after two seconds words. @param {() => void} [stop] */
  busy(stop) {
    this.idle();
    this.place.setAttribute("aria-busy", "true");
    this.slow = window.setTimeout(() => this.place.classList.add("busy"), 300);
    this.slower = window.setTimeout(() => {
      this.waiting = document.createElement("p");
      this.waiting.className = "still-asking";
      this.waiting.textContent = "still asking the records … ";
      if (stop) this.waiting.append(button("stop", stop));
      this.place.append(this.waiting);
    }, 2000);
  }

  idle() {
    clearTimeout(this.slow);
    clearTimeout(this.slower);
    this.waiting?.remove();
    this.place.classList.remove("busy");
    this.place.removeAttribute("aria-busy");
  }

  /** A widget that stands by itself in a place. @param {HTMLElement} place @param {import("./draw.js").Listener} listener */
  static alone(place, listener) {
    place.innerHTML = '<div class="widget"><div class="widget-head"><h2></h2></div><div class="widget-body"></div></div>';
    return new Widget(/** @type {HTMLElement} */ (place.firstElementChild), listener);
  }

  /** Shows an answer, or why there is nothing. @param {Answer & {nothing: string}} a */
  told(a) {
    this.show({ ...a, html: a.html || '<p class="nothing"></p>' });
    if (!a.html) /** @type {HTMLElement} */ (this.body.firstElementChild).textContent = a.nothing;
  }

  /** @param {Answer} a */
  show(a) {
    this.idle();
    this.answer = a;
    this.heading.textContent = a.title;
    this.trail(a);
    this.heading.classList.toggle("visually-hidden", !!a.no_title);
    this.words("widget-subtitle", a.subtitle, (p) => this.heading.parentElement?.after(p));
    this.words("widget-caption", a.caption, (p) => this.place.append(p));
    this.place.querySelector(".widget-notes")?.remove();
    if (a.notes?.length) {
      const notes = document.createElement("p");
      notes.className = "widget-notes";
      notes.title = a.notes.map((n) => n.words).join(" ");
      const word = (/** @type {string} */ text, /** @type {() => void} */ act) => notes.append(button(text, act), " ");
      for (const { words, mark, cut } of a.notes) {
        notes.append(`${words} `);
        if (mark) word(cut ? "list all" : "list them", () => this.listener.records(mark, ""));
        if (cut && a.cut && this.listener.keep) word("keep it so", () => this.listener.keep?.(a.cut));
      }
      this.place.append(notes);
    }
    this.fresh(a);
    this.looks(a);
    if (a.drawing) {
      this.draw(a.drawing, a.title);
      return;
    }
    this.undraw();
    // What was scrolled to stays where it was.
    const scrolled = this.body.querySelector(".scroll")?.scrollTop ?? 0;
    fill(this.body, a.html);
    const scroll = this.body.querySelector(".scroll");
    if (scroll) scroll.scrollTop = scrolled;
    this.askable();
    this.sortable();
    lay(this.body);
    this.rows.show();
    if (this.listener.changes) changeable(this.body);
  }

  /** How fresh the widget is: in sight where its changes are not heard, else at hand. @param {Answer} a */
  fresh(a) {
    for (const place of /** @type {NodeListOf<HTMLElement>} */ (this.place.querySelectorAll(".widget-fresh"))) {
      place.textContent = a.fresh;
      place.hidden = !a.fresh || a.live !== !!place.closest(".widget-tools");
    }
  }

  /** The words by which a viewer looks at a chart along time: its grain, closer, the whole range. @param {Answer} a */
  looks(a) {
    const tools = this.place.querySelector(".widget-words"), look = this.listener.look;
    tools?.querySelector(".looks")?.remove();
    if (!tools || !look || !a.grains || !a.grain) return;
    const box = document.createElement("span");
    box.className = "looks";
    if (a.grains.length > 1) {
      const select = document.createElement("select");
      select.className = "plain";
      select.setAttribute("aria-label", "Per");
      for (const g of a.grains) select.append(new Option(`per ${g}`, g, false, g === a.grain));
      select.addEventListener("change", () => look({ grain: select.value }));
      box.append(select, " ");
    }
    const word = (/** @type {string} */ text, /** @type {() => void} */ act) => box.append(button(text, act), " ");
    if (a.drawing) word("closer", () => {
      const part = this.chart?.spell();
      if (part) look({ part });
      else say("Choose marks first, by dragging over them or with Space; closer then shows only those.");
    });
    if (a.closer) word("whole range", () => look({ part: null }));
    tools.prepend(box);
  }

  /** Sets a line of words above or below the drawing. @param {string} name @param {string | undefined} words @param {(p: HTMLElement) => void} put */
  words(name, words, put) {
    this.place.querySelector(`.${name}`)?.remove();
    if (!words) return;
    const p = document.createElement("p");
    p.className = name;
    p.textContent = words;
    put(p);
  }

  /** @param {import("../drawing/drawing.js").Drawing} model @param {string} title */
  draw(model, title) {
    this.place.dataset.legend = model.legend;
    if (!this.chart) {
      this.place.dataset.drawn = "yes";
      const legend = document.createElement("div");
      const area = document.createElement("div");
      area.className = "chart";
      this.body.replaceChildren(area);
      this.body.before(legend);
      this.legendPlace = legend;
      this.chart = new Chart(area, this.listener);
    }
    this.chart.draw(model, title);
    const place = this.legendPlace, buttons = () => /** @type {HTMLElement[]} */ ([...(place?.querySelectorAll("button") ?? [])]);
    const at = buttons().indexOf(/** @type {HTMLElement} */ (document.activeElement));
    place?.replaceChildren(this.chart.legend());
    buttons()[at]?.focus();
  }

  undraw() {
    delete this.place.dataset.drawn;
    delete this.place.dataset.legend;
    this.legendPlace?.remove();
    this.chart?.dispose();
    this.chart = null;
  }

  /** Says in the widget's place why it shows nothing. @param {string} words @param {() => void} again */
  fail(words, again) {
    this.idle();
    this.undraw();
    for (const line of this.place.querySelectorAll(".widget-subtitle, .widget-caption, .widget-notes")) line.remove();
    const p = document.createElement("p");
    p.className = "wrong";
    p.setAttribute("role", "alert");
    p.textContent = `${words} `;
    p.append(button("try again", again));
    this.body.replaceChildren(p);
  }
}

/** Opens or closes a row of a nested table. @param {HTMLTableRowElement} row @param {HTMLElement} button */
function open(row, button) {
  const closing = button.getAttribute("aria-expanded") === "true", level = Number(row.dataset.level);
  button.setAttribute("aria-expanded", String(!closing));
  /** @type {number} rows below this level stay hidden */
  let closed = Infinity;
  for (let next = /** @type {HTMLTableRowElement | null} */ (row.nextElementSibling); next && Number(next.dataset.level) > level; next = /** @type {HTMLTableRowElement | null} */ (next.nextElementSibling)) {
    const at = Number(next.dataset.level);
    if (at <= closed) closed = Infinity;
    next.hidden = closing || at > closed;
    if (next.querySelector('[data-fold][aria-expanded="false"]') && at < closed) closed = at;
  }
}

/** Leaves out labels of a scale, evenly, until those that stay have room. @param {HTMLElement} scale */
function thin(scale) {
  const labels = /** @type {HTMLElement[]} */ ([...scale.children]), ends = labels.map((l) => l.offsetLeft + l.offsetWidth + 4);
  const every = labels.findIndex((_, k) => k > 0 && labels.every((l, i) => i < k || i % k > 0 || l.offsetLeft >= ends[i - k])) || 1;
  labels.forEach((l, i) => l.classList.toggle("left-out", every < 0 && i > 0 || every > 0 && i % every > 0 || ends[i] > scale.clientWidth + 4));
}

/** Leaves out names that would lie on one before them; each is told by its pin too. @param {HTMLElement} plan */
function part(plan) {
  /** @type {DOMRect[]} */
  const kept = [];
  for (const name of plan.querySelectorAll(".pin-name")) {
    const box = name.getBoundingClientRect();
    const lies = kept.some((k) => box.left < k.right && k.left < box.right && box.top + 2 < k.bottom && k.top + 2 < box.bottom);
    name.classList.toggle("left-out", lies);
    if (!lies) kept.push(box);
  }
}

/**
 * Lets a table that is larger than its place scroll by whole rows between its headings and
 * its totals, with a sign of how many rows lie below. @param {HTMLElement} body @param {HTMLElement} scroll
 */
function hold(body, scroll) {
  const table = scroll.querySelector("table"), sign = document.createElement("p");
  sign.className = "more-below";
  sign.setAttribute("aria-hidden", "true");
  scroll.after(sign);
  const rows = () => [...scroll.querySelectorAll("tbody tr")].filter((r) => !/** @type {HTMLElement} */ (r).hidden);
  const tall = (/** @type {string} */ part) => /** @type {HTMLElement | null} */ (scroll.querySelector(part))?.offsetHeight ?? 0;
  const tell = () => {
    const end = scroll.getBoundingClientRect().top + scroll.clientHeight - tall("tfoot"), below = rows().filter((r) => r.getBoundingClientRect().bottom > end + 2).length;
    sign.textContent = below ? `${below} more below` : "";
  };
  const fit = () => {
    scroll.style.maxHeight = "";
    sign.hidden = true;
    if (body.scrollHeight <= body.clientHeight + 1) return;
    sign.hidden = false;
    scroll.style.scrollPaddingTop = `${tall("thead")}px`;
    const others = body.scrollHeight - scroll.offsetHeight, bar = scroll.offsetHeight - scroll.clientHeight;
    let height = tall("thead") + tall("tfoot") + bar;
    rows().every((r, i) => {
      const next = height + /** @type {HTMLElement} */ (r).offsetHeight;
      if (i > 0 && next + others > body.clientHeight) return false;
      height = next;
      return true;
    });
    scroll.style.maxHeight = `${height}px`;
    tell();
  };
  scroll.addEventListener("scroll", tell, { passive: true });
  const observer = new ResizeObserver(() => (scroll.isConnected ? fit() : observer.disconnect()));
  observer.observe(body);
  if (table) observer.observe(table);
}

/** Makes key figures smaller until their names have room too; small lines give way first. @param {HTMLElement} body */
function shrink(body) {
  const fits = () => body.scrollHeight <= body.clientHeight + 1 && body.scrollWidth <= body.clientWidth + 1;
  const observer = new ResizeObserver(() => {
    if (!body.querySelector(".figures")) return observer.disconnect();
    for (const step of ["", "26", "21", "tight 21", "tight 17", "bare 17", "bare 15"]) {
      const [size, how = ""] = step.split(" ").reverse();
      body.classList.toggle("tight", how !== "");
      body.classList.toggle("bare", how === "bare");
      if (size) body.style.setProperty("--figure", `${size}px`);
      else body.style.removeProperty("--figure");
      if (fits()) return;
    }
  });
  observer.observe(body);
}

/** Puts what says where it lies in its place. @param {HTMLElement} body */
function lay(body) {
  const table = /** @type {HTMLElement | null} */ (body.querySelector(":scope > .scroll:has(> table.grid)"));
  if (table) hold(body, table);
  if (body.querySelector(".figures")) shrink(body);
  const scale = /** @type {HTMLElement | null} */ (body.querySelector(".timeline .scale"));
  if (scale) new ResizeObserver(() => thin(scale)).observe(scale);
  for (const node of /** @type {NodeListOf<HTMLElement>} */ (body.querySelectorAll("[data-left], [data-top], [data-wide]"))) {
    if (node.dataset.left) node.style.left = `${node.dataset.left}%`;
    if (node.dataset.top) node.style.top = `${node.dataset.top}%`;
    if (node.dataset.wide) node.style.width = `${node.dataset.wide}%`;
    if (node.classList.contains("pin-name")) {
      const left = Number(node.dataset.left), before = left > 55; // on the side that has more room
      node.classList.toggle("before", before);
      node.style.maxWidth = `calc(${before ? left : 100 - left}% - 12px)`;
    }
  }
  const plan = /** @type {HTMLElement | null} */ (body.querySelector(".plan")), picture = plan?.querySelector("img");
  if (plan) new ResizeObserver(() => part(plan)).observe(plan);
  if (plan?.dataset.high) plan.style.setProperty("--ratio", String(100 / Number(plan.dataset.high)));
  else if (picture) picture.addEventListener("load", () => picture.naturalHeight && plan?.style.setProperty("--ratio", String(picture.naturalWidth / picture.naturalHeight)));
  for (const node of /** @type {NodeListOf<HTMLElement>} */ (body.querySelectorAll("[data-ground], [data-edge], [data-fill]"))) {
    if (node.dataset.ground) {
      node.style.background = colour(node.dataset.ground);
      node.style.color = pen.legible(colour(node.dataset.ground));
    }
    if (node.dataset.edge) node.style.borderLeftColor = colour(node.dataset.edge);
    if (!node.dataset.fill) continue;
    node.style.fill = colour(node.dataset.fill);
    const cell = node.closest("td");
    if (cell && !node.matches(".bar-fill")) cell.style.color = pen.legible(colour(node.dataset.fill));
  }
}
