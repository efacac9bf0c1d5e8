/** The look of a dashboard: a theme, or colours and letters of its own, seen at once where they are chosen. */
import { Folded } from "./folded.js";

export class Look extends Folded {
  /**
   * @param {HTMLDetailsElement} fold
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>, make: (path: string, fields: any, wrong?: (words: string) => void) => Promise<any>}} how
   */
  constructor(fold, how) {
    super(fold, "look", how);
    this.how = how;
    this.place.addEventListener("click", (e) => {
      const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
      if (button?.dataset.theme !== undefined) void this.choose(new URLSearchParams({ name: button.dataset.theme }), button.dataset.theme);
      else if (button && "palette" in button.dataset) void this.keep((name) => name !== "palette");
    });
    this.place.addEventListener("change", (e) => {
      // Colours of values are told all together; of the others, those that are chosen.
      const { name } = /** @type {HTMLInputElement} */ (e.target);
      if (name !== "palette") void this.keep((of) => of !== "palette" || this.place.querySelector("[data-palette]") !== null);
      else void this.keep(() => true);
    });
    this.place.addEventListener("submit", (e) => e.preventDefault());
  }

  /** Keeps what the form has. @param {(name: string) => boolean} which */
  async keep(which) {
    const form = /** @type {HTMLFormElement} */ (this.place.querySelector("form"));
    const all = new URLSearchParams();
    new FormData(form).forEach((value, name) => {
      if (name !== "name" && which(name)) all.append(name, String(value));
    });
    await this.choose(all);
  }

  /** @param {URLSearchParams} fields @param {string} [theme] which is focused then */
  async choose(fields, theme) {
    const wrong = this.place.querySelector(".wrong");
    if (!(await this.how.make(`${this.address}/change`, fields, (words) => {
      if (wrong) Object.assign(wrong, { textContent: words, hidden: false });
    }))) return;
    await this.show();
    if (theme !== undefined) /** @type {HTMLElement | null} */ (this.place.querySelector(`[data-theme="${theme}"]`))?.focus();
  }
}
