/** Key figures of a dashboard, read for the page that shows them itself, and again when their records change. */
import { post, Trouble } from "../page/api.js";

/** @typedef {{changed: (e: {widgets: string[], lost: boolean}) => void, again: () => void}} Told */

export class Figures {
  /** @param {{dashboard: string, filters: Record<string, any>, following: (told: Told) => {start: () => void, stop: () => void}, tell: (message: import("./tag/messages.js").ToTag) => void}} how */
  constructor(how) {
    this.how = how;
    /** @type {string[]} */
    this.widgets = [];
    this.following = how.following({ changed: (e) => void this.read(e.widgets), again: () => void this.read(this.widgets) });
    if (!document.hidden) this.following.start();
    document.addEventListener("visibilitychange", () => {
      if (document.hidden) return this.following.stop();
      void this.read(this.widgets);
      this.following.start();
    });
  }

  /** @param {string[]} widgets whose figures are wanted */
  set(widgets) {
    const added = widgets.filter((w) => !this.widgets.includes(w));
    this.widgets = widgets;
    void this.read(added);
  }

  /** @param {string[]} widgets */
  async read(widgets) {
    await Promise.all(this.widgets.filter((w) => widgets.includes(w)).map((w) => this.one(w)));
  }

  /** @param {string} widget */
  async one(widget) {
    try {
      const answer = await post(`/view/${encodeURIComponent(this.how.dashboard)}/widgets/${encodeURIComponent(widget)}`, { state: JSON.stringify({ filters: this.how.filters }) }, { json: true });
      const figures = (answer.figures ?? []).map((/** @type {any} */ f) => ({ label: f.label, text: f.text, exact: f.exact }));
      this.how.tell({ say: "figures", widget, sentence: answer.sentence, figures });
    } catch (error) {
      this.how.tell({ say: "failed", reason: "trouble", words: /** @type {Error} */ (error).message, whole: false });
      if (error instanceof Trouble && error.status === 503) setTimeout(() => void this.one(widget), 2000);
    }
  }
}
