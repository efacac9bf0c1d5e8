/**
 * Draws the server's drawing models in SVG, and lets pointer and keyboard move among
 * marks. What each form looks like is in drawing/; nothing here computes or formats a
 * number.
 */
import { axial, draw, off, round, together } from "../drawing/drawing.js";
import { legend, strip } from "../drawing/legend.js";
import { Batch, el } from "../drawing/shapes.js";
import { elements, pen } from "./elements.js";

/** @typedef {import("../drawing/drawing.js").Drawing} Drawing */
/** @typedef {import("../drawing/drawing.js").Place} Place */
/** @typedef {import("../drawing/drawing.js").Box} Box */

/** What a chart tells its page. @typedef {{choose: (marks: object[], words: string) => void, records: (mark: object, words: string) => void, keep?: (cut: object | undefined) => void, look?: (change: {grain?: string, part?: {from: string, to: string} | null}) => void, menu?: (marked: import("./marked.js").Marked, beside: {getBoundingClientRect: () => DOMRect, focus: () => void}) => void, chosen?: () => object[], drill?: (marked: import("./marked.js").Marked) => void, up?: () => void, why?: (two: import("./marked.js").Two) => void, sort?: (by: Sort) => void, sorted?: () => Sort | undefined, changes?: boolean, hide?: (names: string[]) => void}} Listener */
/** By what a table is sorted. @typedef {{field?: string, measure?: number, descending?: boolean}} Sort */

let numbered = 0;

/** The place that a name in places stands for. @param {string} name @returns {Place} */
function place(name) {
  const [series, group] = name.split(" ").map(Number);
  return { series, group };
}

/** A drawn chart. */
export class Chart {
  /** @param {HTMLElement} place @param {Listener} listener */
  constructor(place, listener) {
    this.place = place;
    this.listener = listener;
    this.id = `chart-${++numbered}`;
    /** @type {Drawing | null} */
    this.model = null;
    /** @type {Place | null} */
    this.at = null;
    /** @type {Set<string>} */
    this.chosen = new Set();
    /** Series, or slices of a pie, that the legend hides. @type {Set<number>} */
    this.hidden = new Set();
    /** @type {Map<string, {x: number, y: number, node?: SVGElement, box?: Box}>} */
    this.places = new Map();
    /** @type {WeakMap<any, Place>} */
    this.nodes = new WeakMap();
    place.tabIndex = 0;
    place.setAttribute("role", "listbox");
    place.setAttribute("aria-multiselectable", "true");
    this.option = document.createElement("div");
    this.option.id = `${this.id}-mark`;
    this.option.className = "visually-hidden";
    this.option.setAttribute("role", "option");
    this.svg = elements(el("svg", { class: "drawing", "aria-hidden": "true" }));
    this.tip = document.createElement("div");
    this.tip.className = "tip";
    this.tip.hidden = true;
    this.tip.setAttribute("aria-hidden", "true");
    // By keyboard the menu key does what this does by mouse and touch.
    this.handle = Object.assign(document.createElement("button"), { type: "button", className: "mark-handle", tabIndex: -1, hidden: true, textContent: "⋯", title: "What can be done with this" });
    this.handle.setAttribute("aria-hidden", "true");
    this.handle.addEventListener("click", () => this.at && this.open(this.at));
    place.replaceChildren(this.option, this.svg, this.tip, this.handle);
    this.svg.addEventListener("pointerdown", (e) => this.drag(e));
    this.svg.addEventListener("click", (e) => {
      if (this.dragged) {
        this.dragged = false;
        return;
      }
      const p = this.under(e);
      if (p) this.pick(p, e.shiftKey || e.ctrlKey || e.metaKey);
    });
    this.svg.addEventListener("dblclick", (e) => {
      const p = this.under(e), marked = p && this.marked(p);
      if (marked?.chosen) this.listener.drill?.(marked);
    });
    place.addEventListener("contextmenu", (e) => {
      const p = this.under(e) ?? (e.target === place ? this.at : null);
      if (!p || !this.listener.menu) return;
      e.preventDefault();
      this.open(p);
    });
    this.svg.addEventListener("pointerdown", (e) => {
      const p = e.pointerType === "touch" && this.listener.menu ? this.under(e) : null;
      if (!p) return;
      const held = setTimeout(() => {
        this.dragged = true; // no click follows
        this.open(p);
      }, 550);
      const end = () => clearTimeout(held);
      for (const over of ["pointerup", "pointercancel", "pointerleave"]) this.svg.addEventListener(over, end, { once: true });
    });
    this.svg.addEventListener("pointermove", (e) => {
      const p = this.under(e);
      if (p) this.show(p, e.offsetX, e.offsetY);
      else this.hide();
    });
    this.svg.addEventListener("pointerleave", () => this.hide());
    place.addEventListener("keydown", (e) => this.key(e));
    place.addEventListener("focus", () => { if (!this.at) this.move(this.first()); });
    place.addEventListener("blur", () => { this.hide(); this.mark(null); });
    this.observer = new ResizeObserver(() => this.model && this.layout());
    this.observer.observe(place);
    void document.fonts?.load("12px Figtree").then(() => document.fonts.ready).then(() => this.model && this.layout());
  }

  /** Whether the legend hides a mark. @param {number} series @param {number} group */
  hides(series, group) {
    return this.hidden.has(this.model && round(this.model) ? group : series);
  }

  /** How many labels that marks should bear have no room. */
  unlabelled() {
    const m = this.model, wanted = m && m.kind !== "gauge" ? m.series.reduce((n, s, i) => n + s.marks.filter((mark, g) => mark?.text && !this.hides(i, g)).length, 0) : 0;
    return Math.max(0, wanted - this.svg.querySelectorAll("[data-label]").length);
  }

  dispose() {
    this.observer.disconnect();
  }

  /** The mark under the pointer. @param {Event} e @returns {Place | null} */
  under(e) {
    const found = this.nodes.get(/** @type {Element} */ (e.target).closest(".mark"));
    if (found || !this.together) return found ?? null;
    const { offsetX: x, offsetY: y } = /** @type {PointerEvent} */ (e);
    for (const [name, { box }] of this.places) {
      const reach = box?.round ? 4 : 1;
      if (box && x >= box.x - reach && x <= box.x + box.width + reach && y >= box.y - reach && y <= box.y + box.height + reach) return place(name);
    }
    return null;
  }

  /** @param {Drawing} model @param {string} title */
  draw(model, title) {
    this.model = model;
    if (this.listener.hide && model.kind !== "scatter") this.hidden = off(model);
    this.place.setAttribute("aria-label", `${title}. ${model.summary} Arrow keys move among the marks, Space chooses one${this.listener.menu ? ", the menu key or M says what can be done with it, Enter goes down into it and Backspace up again" : ""}, R lists its records${this.listener.look && model.category.time ? ", Z goes closer to what is chosen and Shift Z back" : ""}.`);
    if (this.at && !this.markAt(this.at)) this.at = null;
    if (this.at) {
      this.speak(this.at);
    } else {
      this.option.textContent = model.summary;
      this.option.setAttribute("aria-selected", "false");
    }
    this.layout();
    this.recall(this.listener.chosen?.() ?? []);
  }

  layout() {
    const m = /** @type {Drawing} */ (this.model);
    const width = this.place.clientWidth, height = this.place.clientHeight;
    if (width < 20 || height < 20) return;
    this.svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
    const drawn = draw(m, width, height, pen, this.hidden);
    /** @type {Map<import("../drawing/shapes.js").Shape, SVGElement>} */
    const made = new Map();
    const root = elements(drawn.root, made);
    this.places = new Map();
    for (const [name, { x, y, shape, box }] of drawn.places) {
      const node = shape && made.get(shape);
      if (node) this.nodes.set(node, place(name));
      this.places.set(name, { x, y, node, box });
    }
    this.together = together(m);
    if (this.together) root.append((this.over = elements(el("g"))));
    this.svg.replaceChildren(root);
    this.colourChosen();
    this.hold();
    if (this.at && this.place.matches(":focus-visible")) this.mark(this.at);
  }

  /** What a mark is for a menu; null for one that stands for no records. @param {Place} p @returns {import("./marked.js").Marked | null} */
  marked(p) {
    const m = /** @type {Drawing} */ (this.model), s = m.series[p.series], mark = this.reference(p);
    if (!mark) return null;
    const chosen = s.role || m.kind === "gauge" ? undefined : { ...mark, keys: s.key ? [m.groups[p.group].key, s.key] : [m.groups[p.group].key] };
    return { mark, chosen, words: this.words(p), parts: [m.groups[p.group].words], value: this.markAt(p)?.label ?? "", two: this.beside(p) };
  }

  /** What a mark is compared with: the other one that is chosen, or what was before. @param {Place} p @returns {import("./marked.js").Two | undefined} */
  beside(p) {
    const m = /** @type {Drawing} */ (this.model), s = m.series[p.series], key = JSON.stringify(s.key), was = s.role === "before";
    if (this.chosen.size === 2 && this.chosen.has(this.keyOf(p))) {
      const other = [...this.places.keys()].map(place).find((q) => this.keyOf(q) !== this.keyOf(p) && this.chosen.has(this.keyOf(q)));
      const before = other && this.reference(other), now = this.reference(p);
      return other && before && now ? { now, before, nowWords: this.words(p), beforeWords: this.words(other), how: "beside" } : undefined;
    }
    const at = m.series.findIndex((x) => x.measure === s.measure && JSON.stringify(x.key) === key && (was ? !x.role : x.role === "before"));
    const other = at < 0 || s.role && !was || !m.series[at].marks[p.group] ? null : this.reference({ series: at, group: p.group }), mine = this.reference(p);
    if (!other || !mine) return undefined;
    return { now: was ? other : mine, before: was ? mine : other, nowWords: m.groups[p.group].words, beforeWords: "", how: "before" };
  }

  /** Opens the menu of a mark beside it. @param {Place} p */
  open(p) {
    const marked = this.marked(p);
    if (!marked) return;
    this.at = p;
    this.hide();
    this.listener.menu?.(marked, { getBoundingClientRect: () => this.rect(p), focus: () => this.place.focus() });
  }

  /** Where a mark lies in the window. @param {Place} p */
  rect(p) {
    const at = this.places.get(`${p.series} ${p.group}`), area = this.svg.getBoundingClientRect();
    return new DOMRect(area.left + (at?.x ?? 0), area.top + (at?.y ?? 0), 1, 20);
  }

  /** Has marks chosen that were before, without telling. @param {any[]} marks */
  recall(marks) {
    if (this.chosen.size > 0 || marks.length === 0) return;
    const known = new Set(marks.map((m) => JSON.stringify([m.measure ?? 0, m.keys])));
    for (const name of this.places.keys()) {
      const chosen = /** @type {any} */ (this.marked(place(name))?.chosen);
      if (chosen && known.has(JSON.stringify([chosen.measure ?? 0, chosen.keys]))) this.chosen.add(this.keyOf(place(name)));
    }
    this.colourChosen();
    this.hold();
  }

  /** Puts the handle of the menu beside the one chosen mark. */
  hold() {
    const name = this.chosen.size === 1 && this.listener.menu ? [...this.places.keys()].find((n) => this.chosen.has(this.keyOf(place(n)))) : undefined;
    this.handle.hidden = !name;
    if (!name) return;
    const { x, y } = /** @type {{x: number, y: number}} */ (this.places.get(name));
    // Above the mark, right of its middle; where there is no room above, left of it, clear of its label.
    this.handle.style.left = `${Math.max(0, Math.min(y < 34 ? x - 34 : x + 6, this.place.clientWidth - 32))}px`;
    this.handle.style.top = `${Math.max(0, Math.min(y - 30, this.place.clientHeight - 26))}px`;
  }

  /** Fades what is not chosen. */
  colourChosen() {
    const chosenOnes = new Batch();
    this.over?.replaceChildren();
    if (this.chosen.size === 0) {
      for (const node of this.svg.querySelectorAll(".chosen, .faded")) node.classList.remove("chosen", "faded");
      return;
    }
    this.svg.querySelectorAll(".together").forEach((path) => path.classList.add("faded"));
    for (const [name, { node, box }] of this.places) {
      const chosen = this.chosen.has(this.keyOf(place(name)));
      if (box && chosen) chosenOnes.add(box.fill, box);
      if (!node) continue;
      node.classList.toggle("chosen", chosen);
      node.classList.toggle("faded", !chosen);
    }
    this.over?.replaceChildren(...chosenOnes.paths("chosen").map((p) => elements(p)));
  }

  /** @param {Place} p */
  markAt(p) {
    return this.model?.series[p.series]?.marks[p.group] ?? null;
  }

  /** What a mark stands for. @param {Place} p */
  words(p) {
    const m = /** @type {Drawing} */ (this.model), s = m.series[p.series];
    const role = s.role && s.role !== "forecast" ? s.name : "";
    return [role, s.role ? "" : s.words, m.groups[p.group].words].filter(Boolean).join(", ");
  }

  /** The reference that leads to a mark's records; null for marks that have none. @param {Place} p */
  reference(p) {
    const m = /** @type {Drawing} */ (this.model), s = m.series[p.series], mark = this.markAt(p), group = m.groups[p.group];
    if (s.role && s.role !== "before" || group.ahead) return null;
    const own = mark?.run ? mark.run.key : group.key;
    const keys = m.kind === "gauge" ? [] : s.key ? [own, s.key] : [own];
    return { ...m.reference, measure: s.measure, keys, was: mark?.run ? mark.run.was : mark?.base ?? mark?.exact, then: mark?.then };
  }

  /** @param {Place} p */
  keyOf(p) {
    const s = /** @type {Drawing} */ (this.model).series[p.series], group = /** @type {Drawing} */ (this.model).groups[p.group];
    return JSON.stringify([s.measure, s.role ?? "", group.key, s.key]);
  }

  /** @param {Place} p @param {boolean} add */
  pick(p, add) {
    const mark = this.markAt(p), s = /** @type {Drawing} */ (this.model).series[p.series];
    if (!mark || s.role || /** @type {Drawing} */ (this.model).kind === "gauge") return;
    this.at = p;
    const key = this.keyOf(p);
    if (add) {
      if (!this.chosen.delete(key)) this.chosen.add(key);
    } else if (this.chosen.size === 1 && this.chosen.has(key)) {
      this.chosen.clear();
    } else {
      this.chosen = new Set([key]);
    }
    this.tell();
    this.colourChosen();
    this.hold();
  }

  /** Dragging over a time axis or a scatter chooses what lies there. @param {PointerEvent} down */
  drag(down) {
    const m = this.model, upright = m?.kind === "scatter";
    if (!m || down.button !== 0 || !(upright || m.category.time && m.kind !== "bars" && axial(m))) return;
    const from = { x: down.offsetX, y: down.offsetY };
    /** @type {SVGElement | null} */
    let box = null;
    const area = this.svg.getBoundingClientRect();
    /** @param {PointerEvent} e */
    const span = (e) => {
      const x = e.clientX - area.left, y = e.clientY - area.top;
      return { left: Math.min(x, from.x), right: Math.max(x, from.x), top: upright ? Math.min(y, from.y) : 0, bottom: upright ? Math.max(y, from.y) : area.height };
    };
    /** @param {PointerEvent} e */
    const move = (e) => {
      const at = span(e);
      if (!box && at.right - at.left < 8) return;
      this.hide();
      box ??= this.svg.appendChild(elements(el("rect", { class: "dragging" })));
      for (const [name, v] of [["x", at.left], ["y", at.top], ["width", at.right - at.left], ["height", at.bottom - at.top]]) box.setAttribute(String(name), String(v));
    };
    /** @param {PointerEvent} e */
    const up = (e) => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", up);
      if (!box) return;
      box.remove();
      this.dragged = e.target instanceof Node && this.svg.contains(e.target); // a click follows then
      const at = span(e);
      this.chosen = new Set();
      for (const [name, { x, y }] of this.places) {
        const { series, group } = place(name);
        if (x >= at.left && x <= at.right && y >= at.top && y <= at.bottom && !m.series[series].role) this.chosen.add(this.keyOf({ series, group }));
      }
      this.tell();
      this.colourChosen();
      this.hold();
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", up);
  }

  /** The span of time from the first chosen mark, or else the one at the keyboard, to the last; null for none. */
  spell() {
    const m = this.model;
    if (!m?.category.time) return null;
    const groups = m.groups.filter((g, group) => !g.ahead && (this.chosen.size === 0 ? this.at?.group === group : m.series.some((s, series) => this.chosen.has(this.keyOf({ series, group })))));
    const first = /** @type {any} */ (groups[0]?.key), last = /** @type {any} */ (groups[groups.length - 1]?.key);
    return first?.from && last?.to ? { from: first.from, to: last.to } : null;
  }

  tell() {
    const m = /** @type {Drawing} */ (this.model);
    /** @type {object[]} */
    const marks = [];
    /** @type {string[]} */
    const words = [];
    const spell = this.chosen.size > 12 ? this.spell() : null;
    if (spell) {
      // Many steps beside each other are one span of time.
      const groups = m.groups.filter((g, group) => m.series.some((s, series) => this.chosen.has(this.keyOf({ series, group }))));
      this.listener.choose([{ ...m.reference, measure: 0, keys: [spell] }], `${groups[0].words} to ${groups[groups.length - 1].full}`);
      return;
    }
    m.series.forEach((s, series) => s.marks.forEach((mark, group) => {
      const p = { series, group };
      if (!mark || s.role || !this.chosen.has(this.keyOf(p))) return;
      const reference = this.reference(p);
      if (!reference) return;
      marks.push({ ...reference, keys: m.kind === "gauge" ? [] : s.key ? [m.groups[group].key, s.key] : [m.groups[group].key] });
      words.push(this.words(p));
    }));
    this.listener.choose(marks, words.join(" or "));
  }

  /** Takes the choice back without telling. */
  clear() {
    if (this.chosen.size === 0) return;
    this.chosen.clear();
    if (this.model) this.colourChosen();
    this.hold();
  }

  first() {
    const m = this.model;
    for (let g = 0; m && g < m.groups.length; g++) for (let s = 0; s < m.series.length; s++) if (this.places.has(`${s} ${g}`)) return { series: s, group: g };
    return null;
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    const m = this.model;
    if (!m || e.altKey || e.target !== this.place) return;
    const at = this.at ?? this.first();
    if (!at) return;
    const upright = m.kind === "bars" || m.kind === "funnel";
    const along = upright ? ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"] : ["ArrowLeft", "ArrowRight", "ArrowDown", "ArrowUp"];
    const which = along.indexOf(e.key);
    if (which >= 0) {
      const step = (which % 2 ? 1 : -1) * (which > 1 && m.kind === "heat map" ? -1 : 1), next = { ...at };
      do {
        if (which < 2) next.group += step;
        else next.series += step;
      } while (next.group >= 0 && next.group < m.groups.length && next.series >= 0 && next.series < m.series.length && !this.places.has(`${next.series} ${next.group}`));
      if (this.places.has(`${next.series} ${next.group}`)) this.move(next);
    } else if (e.key === " ") {
      this.pick(at, e.shiftKey || e.ctrlKey);
      this.move(at);
    } else if ((e.key === "m" || e.key === "M") && !e.ctrlKey && !e.metaKey && this.listener.menu) {
      this.open(at);
    } else if (e.key === "Enter" && this.listener.drill) {
      const marked = this.marked(at);
      if (marked?.chosen) this.listener.drill(marked);
    } else if (e.key === "Backspace" && this.listener.up) {
      this.listener.up();
    } else if (e.key === "Home") {
      this.move(this.first());
    } else if ((e.key === "r" || e.key === "R") && !e.ctrlKey && !e.metaKey) {
      const reference = this.reference(at);
      if (reference) this.listener.records(reference, this.words(at));
    } else if ((e.key === "z" || e.key === "Z") && !e.ctrlKey && !e.metaKey && this.listener.look) {
      const part = e.shiftKey ? null : this.spell();
      if (part || e.shiftKey) this.listener.look({ part });
    } else {
      return;
    }
    e.preventDefault();
  }

  /** @param {Place | null} p */
  move(p) {
    const mark = p && this.markAt(p), placed = p && this.places.get(`${p.series} ${p.group}`);
    if (!p || !mark || !placed) return;
    this.at = p;
    this.speak(p);
    this.place.setAttribute("aria-activedescendant", this.option.id);
    if (!this.place.matches(":focus-visible")) return;
    this.mark(p);
    this.show(p, placed.x, placed.y);
  }

  /** Has the mark at the keyboard say what it is now. @param {Place} p */
  speak(p) {
    const mark = this.markAt(p);
    if (!mark) return;
    this.option.textContent = [mark.label, this.words(p), ...(mark.more ?? [])].filter(Boolean).join(", ");
    this.option.setAttribute("aria-selected", String(this.chosen.has(this.keyOf(p))));
    let place = 0, all = 0;
    /** @type {Drawing} */ (this.model).series.forEach((s, i) => s.marks.forEach((other, g) => {
      if (!other || this.hides(i, g)) return;
      all++;
      if (i < p.series || i === p.series && g <= p.group) place++;
    }));
    this.option.setAttribute("aria-posinset", String(place));
    this.option.setAttribute("aria-setsize", String(all));
  }

  /** Outlines the mark that the keyboard is at. @param {Place | null} p */
  mark(p) {
    const before = this.svg.querySelector(".at");
    if (before?.classList.contains("outline")) before.remove();
    else before?.classList.remove("at");
    const found = p && this.places.get(`${p.series} ${p.group}`);
    found?.node?.classList.add("at");
    if (found?.box) {
      const outline = new Batch();
      outline.add("none", found.box);
      this.over?.append(...outline.paths("mark at outline").map((p) => elements(p)));
    }
  }

  /** @param {Place} p @param {number} x @param {number} y */
  show(p, x, y) {
    const mark = this.markAt(p);
    if (!mark || this.model?.silent) return;
    const value = document.createElement("b");
    value.textContent = mark.label;
    this.tip.replaceChildren(value, ` ${this.words(p)}`);
    for (const line of mark.more ?? []) {
      const more = document.createElement("span");
      more.textContent = line;
      this.tip.append(more);
    }
    this.tip.hidden = false;
    const width = this.place.clientWidth, height = this.place.clientHeight;
    const left = x + 12 + this.tip.offsetWidth > width ? x - 12 - this.tip.offsetWidth : x + 12;
    this.tip.style.left = `${Math.max(0, Math.min(left, width - this.tip.offsetWidth))}px`;
    this.tip.style.top = `${Math.max(0, Math.min(y + 14, height - this.tip.offsetHeight))}px`;
  }

  hide() {
    this.tip.hidden = true;
  }

  /** The legend, as a list of the page's own; a click hides or shows a series. */
  legend() {
    const list = document.createElement("ul"), m = this.model;
    list.className = "legend";
    list.setAttribute("aria-label", "Legend");
    if (!m || m.legend === "none") return list;
    if (m.ramp) {
      const { tones, low, high } = m.ramp, item = document.createElement("li"), wide = tones.length * 12;
      item.append(low, elements(el("svg", { viewBox: `0 0 ${wide} 12`, width: wide, height: 12, class: "ramp", "aria-hidden": "true" }, strip(tones))), high);
      list.append(item);
    }
    for (const { shape, name, hides: at } of legend(m)) {
      const item = document.createElement("li"), box = elements(el("svg", { viewBox: "-6 -6 12 12", "aria-hidden": "true" }, [shape]));
      list.append(item);
      if (at === null) {
        item.append(box, name);
        continue;
      }
      const button = document.createElement("button");
      button.type = "button";
      button.setAttribute("aria-pressed", String(!this.hidden.has(at)));
      button.title = this.hidden.has(at) ? `Show ${name}` : `Hide ${name}`;
      button.append(box, name);
      button.addEventListener("click", () => {
        if (!this.hidden.delete(at)) this.hidden.add(at);
        button.setAttribute("aria-pressed", String(!this.hidden.has(at)));
        if (this.listener.hide && m.kind !== "scatter") this.listener.hide([...this.hidden].map((i) => (round(m) ? m.groups[i].label : m.series[i].name)));
        else this.layout();
      });
      item.append(button);
    }
    return list;
  }
}
