/**
 * What reaches what on a page: a table of its filters and of clicks on its widgets, each cell
 * of which is changed in a popover.
 */
import { popover, unfold } from "../reading/popover.js";
import { Folded } from "./folded.js";

export class Reach extends Folded {
  /**
   * @param {HTMLDetailsElement} fold @param {HTMLElement} box the popover
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>, make: (path: string, fields: any) => Promise<any>, changed: () => void}} how
   */
  constructor(fold, box, how) {
    super(fold, "reach", how);
    this.box = box;
    this.how = how;
    this.place.addEventListener("click", (e) => {
      const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
      if (button) void this.unfold(button);
    });
  }

  /** Opens what may be chosen for a cell, a row or a column. @param {HTMLElement} button */
  async unfold(button) {
    const d = button.dataset, at = [...this.place.querySelectorAll("button")].indexOf(/** @type {HTMLButtonElement} */ (button));
    const held = d.column !== undefined ? `[data-column-of="${d.column}"]` : d.selects !== undefined ? `[data-selects-of="${d.selects}"]` : "";
    const template = held && /** @type {HTMLTemplateElement} */ (this.place.querySelector(held));
    const choose = (/** @type {HTMLElement} */ from, /** @type {string | undefined} */ to) => void this.choose({ ...from.dataset, on: from.dataset.reached, ...(to === undefined ? {} : { to }) }, at);
    if (template) unfold(this.box, button, template.innerHTML);
    else await popover(this.box, button, this.address, () => ({ page: this.how.page(), filter: d.filter ?? "", from: d.from ?? "", on: d.reached ?? "" }));
    this.box.onclick = (e) => {
      const chosen = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button[data-do]"));
      if (chosen) choose(chosen, undefined);
    };
    this.box.onchange = (e) => {
      const input = /** @type {HTMLInputElement} */ (e.target);
      if (input.dataset.do) choose(input, input.matches("select") ? input.value : undefined);
    };
    /** @type {HTMLElement | null} */ (this.box.querySelector(".chosen, button, input, select"))?.focus();
  }

  /** Changes what reaches what; the focus goes back to where it was. @param {Record<string, string | undefined>} change @param {number} at */
  async choose(change, at) {
    this.box.hidePopover();
    if (!(await this.how.make(`${this.address}/change`, { ...change, page: this.how.page() }))) return;
    this.how.changed();
    await this.show();
    this.place.querySelectorAll("button")[at]?.focus();
  }
}
