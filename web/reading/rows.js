/** Rows of tables and records of lists, which are chosen as marks are. */
import { button } from "../page/api.js";

/** Rows of tables and records of lists that can be chosen. */
const ROWS = "[data-keys]:not(th)";

export class Rows {
  /** @param {import("./widget.js").Widget} widget */
  constructor(widget) {
    this.widget = widget;
    const { body } = widget;
    body.addEventListener("dblclick", (e) => this.row(e, "tr[data-keys]:not(.record-row)", (marked) => widget.listener.drill?.(marked)));
    body.addEventListener("contextmenu", (e) => {
      if (/** @type {HTMLElement} */ (e.target).closest("a:not(.pin)")) return; // a link has a menu of the browser's
      this.row(e, ROWS, (marked, row) => widget.listener.menu?.(marked, row));
    });
    body.addEventListener("keydown", (e) => {
      if (e.key === "Enter") this.row(e, "tr[data-keys]:not(.record-row)", (marked) => widget.listener.drill?.(marked));
      else if (e.key === "m" || e.key === "M") this.row(e, ROWS, (marked, row) => widget.listener.menu?.(marked, row));
      else if (e.key === " " && /** @type {HTMLElement} */ (e.target).matches(".pin.record-row")) {
        e.preventDefault();
        this.pick(/** @type {HTMLElement} */ (e.target), e.shiftKey || e.ctrlKey);
      } else if (e.key === "Enter" && /** @type {HTMLElement} */ (e.target).matches(".pin.record-row:not([href])")) this.pick(/** @type {HTMLElement} */ (e.target), false);
      else if (e.key === "Backspace" && /** @type {HTMLElement} */ (e.target).matches(".row-name, .scroll")) widget.listener.up?.();
    });
    /** Those that are chosen, by their keys. @type {Map<string, {mark: object, words: string}>} */
    this.chosen = new Map();
  }

  /** Does something with the row of a table, or the record of a list, that an event is about. @param {Event} e @param {string} of which rows @param {(marked: import("./marked.js").Marked, row: HTMLElement) => void} act */
  row(e, of, act) {
    const target = /** @type {HTMLElement} */ (e.target), row = /** @type {HTMLElement | null} */ (target.closest(of));
    const marked = row && (e.type !== "keydown" || target.matches(".row-name, .record, .pin")) ? this.marked(row) : null;
    if (!row || !marked || !this.widget.listener.menu) return;
    e.preventDefault();
    act(marked, /** @type {HTMLElement} */ (row.querySelector(".row-name") ?? row));
  }

  /** What a row of a table stands for. @param {HTMLElement} row @returns {import("./marked.js").Marked | null} */
  marked(row) {
    const keys = JSON.parse(row.dataset.keys ?? "null");
    if (!keys?.length || !this.widget.answer) return null;
    const mark = { ...this.widget.answer.whole, measure: 0, keys };
    return { mark, chosen: mark, words: row.dataset.words ?? "", parts: JSON.parse(row.dataset.parts ?? "null") ?? undefined, value: "" };
  }

  /** A click beside a record's link chooses it, and one on the link with Shift. Tells whether it was one. @param {MouseEvent} e */
  click(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    const record = /** @type {HTMLElement | null} */ (target.closest(".record-row"));
    const link = target.closest("a[href]");
    if (record && (link ? e.shiftKey : !target.closest("button, summary, input, select"))) {
      if (link) e.preventDefault();
      if (link || !getSelection()?.toString()) this.pick(record, e.shiftKey || e.ctrlKey || e.metaKey);
      return true;
    }
    return false;
  }

  /** A record of a list is chosen by a click beside its link, or with Shift on it, and by a button that the keyboard finds in it. */
  pickable() {
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (this.widget.body.querySelectorAll(`.records ${ROWS}, :is(.slip, .entry, .spell, .pin)[data-keys]`))) {
      row.classList.add("record-row");
      if (row.matches(".pin")) continue; // is one itself
      const choose = button("", (e) => this.pick(row, e.shiftKey || e.ctrlKey || e.metaKey));
      choose.className = "row-name pick";
      choose.setAttribute("aria-label", `Choose ${row.dataset.words}`);
      (row.matches("tr") ? row.querySelector("td") : row)?.append(choose);
    }
  }

  /** Has what is shown be chosen: a row of a table by its name, as marks are. */
  show() {
    if (!this.widget.listener.menu) return;
    this.pickable();
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (this.widget.body.querySelectorAll("table.grid > tbody > tr[data-keys]:not(.record-row)"))) {
      const name = row.querySelector('th[scope="row"]:last-of-type');
      if (!this.marked(row) || !name || name.querySelector("button, details")) continue;
      const choose = button("", () => {});
      choose.className = "row-name";
      choose.append(...name.childNodes);
      choose.addEventListener("click", (e) => this.pick(row, e.shiftKey || e.ctrlKey || e.metaKey));
      choose.addEventListener("keydown", (e) => {
        if (e.key !== " ") return;
        e.preventDefault();
        this.pick(row, e.shiftKey || e.ctrlKey);
      });
      name.append(choose);
    }
    if (this.chosen.size === 0) {
      const known = new Set((this.widget.listener.chosen?.() ?? []).map((m) => JSON.stringify(/** @type {any} */ (m).keys)));
      for (const row of /** @type {NodeListOf<HTMLElement>} */ (this.widget.body.querySelectorAll(ROWS))) {
        const marked = known.size ? this.marked(row) : null;
        if (marked && known.has(JSON.stringify(marked.mark.keys))) this.chosen.set(row.dataset.keys ?? "", marked);
      }
    }
    this.colour();
  }

  /** @param {HTMLElement} row @param {boolean} add */
  pick(row, add) {
    const marked = this.marked(row), key = row.dataset.keys ?? "";
    if (!marked) return;
    const alone = this.chosen.size === 1 && this.chosen.has(key);
    if (add) {
      if (!this.chosen.delete(key)) this.chosen.set(key, marked);
    } else {
      this.chosen.clear();
      if (!alone) this.chosen.set(key, marked);
    }
    this.colour();
    this.widget.listener.choose([...this.chosen.values()].map((r) => r.mark), [...this.chosen.values()].map((r) => r.words).join(" or "));
  }

  colour() {
    this.widget.place.toggleAttribute("data-chosen", this.chosen.size > 0);
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (this.widget.body.querySelectorAll(ROWS))) {
      const chosen = this.chosen.has(row.dataset.keys ?? "");
      row.classList.toggle("chosen", chosen);
      (row.matches("[role=button]") ? row : row.querySelector(".row-name"))?.setAttribute("aria-pressed", String(chosen));
    }
  }

  /** Takes the choice back without telling. */
  clear() {
    if (this.chosen.size === 0) return;
    this.chosen.clear();
    this.colour();
  }
}
