/** One widget on a sheet or in the chart editor: shows answers, keeps its drawing. */
import { Chart } from "./draw.js";
import { fill } from "./api.js";

/**
 * @typedef {{title: string, form: string, sentence: string, notes?: {words: string, mark?: object}[], fresh: string, drawing?: import("./draw.js").Drawing, whole: Record<string, any>, nothing?: string, html: string}} Answer
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
  }

  /** A click on a number leads to its records. @param {Event} e */
  click(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    const cell = /** @type {HTMLElement | null} */ (target.closest(".cell, .figure"));
    if (!cell || !this.answer) return;
    const row = cell.closest("tr"), column = /** @type {HTMLTableCellElement | null} */ (cell.closest("td"));
    const head = column && /** @type {HTMLElement} */ (cell.closest("table")?.tHead?.rows[0].cells[column.cellIndex]);
    const of = (head ?? cell).dataset;
    /** @type {Record<string, any>} */
    const mark = { ...this.answer.whole, measure: Number(of.measure), was: cell.dataset.exact };
    if (row) mark.keys = [...(JSON.parse(row.dataset.keys ?? "[]") ?? []), ...(of.key ? [JSON.parse(of.key)] : [])];
    this.listener.records(mark, [row && of.words, row?.dataset.words].filter(Boolean).join(", "));
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
      const button = document.createElement("button");
      button.type = "button";
      button.className = "plain";
      button.textContent = "stop";
      button.addEventListener("click", () => stop?.());
      if (stop) this.waiting.append(button);
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

  /** @param {Answer} a */
  show(a) {
    this.idle();
    this.answer = a;
    this.heading.textContent = a.title;
    this.place.querySelector(".widget-notes")?.remove();
    if (a.notes?.length) {
      const notes = document.createElement("p");
      notes.className = "widget-notes";
      notes.title = a.notes.map((n) => n.words).join(" ");
      for (const { words, mark } of a.notes) {
        notes.append(`${words} `);
        if (!mark) continue;
        const list = document.createElement("button");
        list.type = "button";
        list.className = "plain";
        list.textContent = "list them";
        list.addEventListener("click", () => this.listener.records(mark, ""));
        notes.append(list, " ");
      }
      this.place.append(notes);
    }
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
  }

  /** @param {import("./draw.js").Drawing} model @param {string} title */
  draw(model, title) {
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
    this.legendPlace?.replaceChildren(this.chart.legend());
  }

  undraw() {
    delete this.place.dataset.drawn;
    this.legendPlace?.remove();
    this.chart?.dispose();
    this.chart = null;
  }

  /** Says in the widget's place why it shows nothing. @param {string} words @param {() => void} again */
  fail(words, again) {
    this.idle();
    this.undraw();
    const p = document.createElement("p");
    p.className = "wrong";
    p.setAttribute("role", "alert");
    p.textContent = `${words} `;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "plain";
    button.textContent = "try again";
    button.addEventListener("click", again);
    p.append(button);
    this.body.replaceChildren(p);
  }
}
