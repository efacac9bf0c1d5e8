/**
 * Placing many widgets at once: layouts of a whole page, several chosen widgets, and the one
 * column of a phone.
 */
import { say } from "../page/api.js";
import { Folded, address } from "./folded.js";

export class Arranging extends Folded {
  /**
   * @param {HTMLDetailsElement} fold @param {HTMLElement} bar what may be done with several chosen widgets
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>, make: (path: string, fields: any) => Promise<any>, placed: () => void}} how
   */
  constructor(fold, bar, how) {
    super(fold, "arranging", how);
    this.bar = bar;
    this.how = how;
    /** @type {Set<string>} */
    this.chosen = new Set();
    this.place.addEventListener("click", (e) => {
      const target = /** @type {HTMLElement} */ (e.target), button = /** @type {HTMLElement | null} */ (target.closest("button"));
      if (target.matches("[data-phone]")) {
        e.preventDefault();
        window.open(/** @type {HTMLAnchorElement} */ (target).href, "_blank", "width=400,height=820");
      }
      if (button?.dataset.layout) void this.change({ do: "layout", layout: button.dataset.layout }, `Placed as ${button.dataset.layout}; undo brings it back.`);
      else if (button?.dataset.place) void this.narrow(button);
    });
    this.place.addEventListener("change", (e) => void this.narrow(/** @type {HTMLElement} */ (e.target)));
    bar.addEventListener("click", (e) => {
      const d = /** @type {HTMLElement} */ (e.target).dataset;
      if (d.several === "leave") this.leave();
      else if (d.several) void this.several(d.several);
    });
  }

  /** @param {Record<string, string>} change @param {string} words @param {string[]} [widgets] */
  async change(change, words, widgets = []) {
    const fields = new URLSearchParams({ page: this.how.page(), ...change });
    widgets.forEach((id) => fields.append("widget", id));
    if (!(await this.how.make(address(this.how.dashboard, "place"), fields))) return false;
    this.how.placed();
    say(words);
    return true;
  }

  /** Moves a widget in the one column of a phone, or leaves it out there. @param {HTMLElement} control */
  async narrow(control) {
    const id = /** @type {HTMLElement} */ (control.closest("li")).dataset.widget ?? "", what = control.dataset.place ?? "";
    if (!(await this.change({ do: what }, "", [id]))) return;
    await this.show();
    const row = this.place.querySelector(`li[data-widget="${CSS.escape(id)}"]`);
    /** @type {HTMLElement | null} */ (row?.querySelector(`button[data-place="${what}"]`) ?? row?.querySelector("input") ?? null)?.focus();
  }

  /** Chooses a widget besides others, or no longer. @param {string} id */
  toggle(id) {
    if (!this.chosen.delete(id)) this.chosen.add(id);
    this.mark();
    say(`${this.chosen.size} chosen`);
  }

  leave() {
    this.chosen.clear();
    this.mark();
  }

  /** Shows which widgets are chosen together, and what may be done with them. */
  mark() {
    document.querySelectorAll("#editor .together-chosen").forEach((w) => w.classList.remove("together-chosen"));
    this.chosen.forEach((id) => document.getElementById(id)?.classList.add("together-chosen"));
    this.bar.hidden = this.chosen.size === 0;
    /** @type {HTMLElement} */ (this.bar.querySelector("b")).textContent = `${this.chosen.size} chosen`;
    this.bar.querySelectorAll("[data-match]").forEach((b) => { /** @type {HTMLButtonElement} */ (b).disabled = this.chosen.size < 2; });
  }

  /** Whether a widget is one of several that are moved together. @param {string} id */
  together(id) {
    return this.chosen.size > 1 && this.chosen.has(id);
  }

  /** Moves the chosen widgets together. @param {number} right @param {number} down */
  async shift(right, down) {
    await this.change({ do: "shift", right: String(right), down: String(down) }, "Moved together; undo brings them back.", [...this.chosen]);
    this.mark();
  }

  /** @param {string} what */
  async several(what) {
    const ids = [...this.chosen];
    if (what === "remove") this.chosen.clear();
    await this.change(what === "remove" ? { do: "remove" } : { do: "match", ...(what !== "high" ? { wide: "yes" } : {}), ...(what !== "wide" ? { high: "yes" } : {}) },
      what === "remove" ? "Taken off; undo brings them back." : "They match the first.", ids);
    this.mark();
  }
}
