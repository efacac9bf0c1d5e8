/**
 * Where a view stands: in the browser's history, so that back, forward and reload return to exactly
 * what was seen, and under a short name, which whoever is sent it opens under their own rights.
 */
import { post } from "../page/api.js";

/** @typedef {{dashboard: string, page: string, state: import("./sheet.js").State, words: string}} View what is seen, and what it is called */

/** Within how many milliseconds changes of a view are one step of the history. */
const together = 350;

export class Address {
  /** @param {(view: View) => void} restore shows a view of the history again @param {(name: string, view: View) => void} kept hears the short name of what is seen */
  constructor(restore, kept) {
    this.kept = kept;
    this.asked = 0;
    addEventListener("popstate", (e) => { if (e.state?.eskadel) restore(e.state.eskadel); });
  }

  /** What the browser held when the page was left or loaded again. @returns {View | null} */
  get held() {
    return history.state?.eskadel ?? null;
  }

  /** Begins the history with what is seen at first. @param {View} view */
  begin(view) {
    history.replaceState({ eskadel: view }, "");
  }

  /** Notes that something else is seen now; what follows at once, as the clicks of a double click do, is one step. @param {View} view */
  async note(view) {
    const frozen = structuredClone(view), now = performance.now(), atOnce = now - (this.notedAt ?? -together) < together;
    this.notedAt = now;
    if (atOnce) history.replaceState({ ...history.state, eskadel: frozen }, "");
    else history.pushState({ eskadel: frozen }, "");
    await this.name(frozen);
  }

  /** Has what is seen kept under a short name. @param {View} view */
  async name(view) {
    const mine = ++this.asked;
    try {
      const { view: name } = await post(`/view/${encodeURIComponent(view.dashboard)}/keep`, { state: JSON.stringify(view.state), page: view.page }, { json: true });
      if (mine === this.asked) this.kept(name, view);
    } catch {
      // The history has it; only the short name is missing until the next change.
    }
  }
}
