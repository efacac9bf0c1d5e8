/** A part of the editor that is unfolded, and shown by the server for the page that is seen. */
import { post, refill } from "../page/api.js";

export class Folded {
  /**
   * @param {HTMLDetailsElement} fold @param {string} tail where it is asked for
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>}} how
   */
  constructor(fold, tail, how) {
    this.fold = fold;
    this.place = /** @type {HTMLElement} */ (fold.querySelector("div"));
    this.address = address(how.dashboard, tail);
    this.open = ""; // what of it is unfolded further
    this.seen = how;
    fold.addEventListener("toggle", () => void this.show());
  }

  /** Shows it anew, where it is unfolded. */
  async show() {
    if (!this.fold.open) return;
    const mine = (this.asked = {});
    await this.seen.saved();
    try {
      const html = await post(this.address, { page: this.seen.page(), open: this.open });
      if (mine === this.asked) refill(this.place, html);
    } catch (error) {
      this.place.textContent = /** @type {Error} */ (error).message;
    }
  }
}

/** Where something of a dashboard is asked for. @param {string} dashboard @param {string} tail */
export const address = (dashboard, tail) => `/dashboards/${encodeURIComponent(dashboard)}/${tail}`;
