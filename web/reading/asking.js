/** Questions on a dashboard: a line, its answer in words and as a chart, and what is asked on. */
import { fill, post } from "../page/api.js";
import { Drawer } from "./drawer.js";
import { Widget } from "./widget.js";

export class Asking {
  /** @param {HTMLElement} root @param {(tail: string) => string} path @param {() => Record<string, string>} state */
  constructor(root, path, state) {
    this.form = /** @type {HTMLFormElement | null} */ (root.querySelector("[data-ask]"));
    this.place = /** @type {HTMLElement} */ (root.querySelector("[data-asked]"));
    this.path = path;
    this.state = state;
    /** @type {string[]} */
    this.lines = [];
    if (!this.form) return;
    this.input = /** @type {HTMLInputElement} */ (this.form.querySelector("input"));
    this.drawer = new Drawer(/** @type {HTMLDialogElement} */ (root.querySelector("#drawer")), () => this.fields());
    this.form.addEventListener("submit", (e) => {
      e.preventDefault();
      const line = this.input?.value.trim();
      if (line) void this.ask([...this.lines, line]);
    });
    this.place.addEventListener("click", (e) => {
      const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
      if (!button) return;
      if (button.dataset.askLine) void this.ask([...this.lines.slice(0, this.answered ? -1 : undefined), button.dataset.askLine]);
      else if (button.dataset.askedBack) void this.ask(this.asked.slice(0, Number(button.dataset.askedBack) + 1));
      else if ("askedClose" in button.dataset) this.close();
    });
  }

  /** All that was asked, the last of which may not be understood. @type {string[]} */
  asked = [];
  answered = false;

  fields() {
    return { ...this.state(), q: this.asked.join("\n") };
  }

  close() {
    this.lines = [];
    this.asked = [];
    this.answered = false;
    this.place.hidden = true;
    this.place.replaceChildren();
    this.input?.focus();
  }

  /** @param {string[]} lines */
  async ask(lines) {
    this.asked = lines;
    try {
      fill(this.place, await post(this.path("ask"), this.fields()));
    } catch (error) {
      this.place.textContent = /** @type {Error} */ (error).message;
      this.place.hidden = false;
      return;
    }
    this.place.hidden = false;
    const chart = this.place.querySelector("[data-asked-chart]");
    this.answered = !!chart;
    this.lines = chart ? lines : lines.slice(0, -1);
    if (!chart || !this.input) return;
    this.input.value = "";
    this.input.placeholder = "ask on: by yard, only rework, last year …";
    const widget = Widget.alone(/** @type {HTMLElement} */ (chart), { choose: () => {}, records: (mark, words) => void this.drawer?.open(this.path("ask/records"), mark, words), keep: () => {} });
    widget.busy();
    try {
      const a = await post(this.path("ask/answer"), this.fields(), { json: true });
      widget.told(a);
    } catch (error) {
      widget.fail(/** @type {Error} */ (error).message, () => void this.ask(lines));
    }
  }
}
