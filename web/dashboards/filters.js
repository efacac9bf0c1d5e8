/**
 * The reading line as its author composes it: each phrase unfolds its filter under the line,
 * "+ narrow by" what may be added. What is changed there is changed in the draft at once.
 */
import { post, refill, say } from "../page/api.js";
import { pictured } from "../charts/picture.js";
import { popover } from "../reading/popover.js";
import { address } from "./folded.js";

export class FilterLine {
  /**
   * @param {HTMLElement} root @param {HTMLElement} box the popover
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>, make: (path: string, fields: URLSearchParams, wrong?: (words: string) => void) => Promise<any>, changed: () => void}} how
   */
  constructor(root, box, how) {
    this.root = root;
    this.box = box;
    this.how = how;
    this.open = "";
    root.addEventListener("click", (e) => this.click(e));
    root.addEventListener("change", (e) => {
      const form = /** @type {HTMLElement} */ (e.target).closest("form");
      if (form) void this.change(form);
    });
    root.addEventListener("submit", (e) => e.preventDefault());
    root.addEventListener("input", (e) => this.find(/** @type {HTMLInputElement} */ (e.target)));
    root.addEventListener("keydown", (e) => {
      if (e.key === "Escape" && this.open && !box.matches(":popover-open")) void this.unfold("");
    });
  }

  /** @param {string} tail */
  path(tail) {
    return address(this.how.dashboard, tail);
  }

  /** Says the line anew, with what is unfolded. */
  async show() {
    const mine = (this.asked = {});
    await this.how.saved();
    try {
      const html = await post(this.path("line"), { page: this.how.page(), open: this.open });
      if (mine !== this.asked) return; // asked anew meanwhile
      refill(this.root, html);
    } catch (error) {
      this.root.textContent = /** @type {Error} */ (error).message;
    }
    if (this.open === "+") await pictured(this.root);
  }

  /** Unfolds a filter, "+", or nothing. @param {string} name */
  async unfold(name) {
    const was = this.open;
    this.open = name;
    await this.show();
    const first = name === "+" ? this.root.querySelector(".choices-box input, .choices-box .choice") : this.root.querySelector("#filter-label");
    /** @type {HTMLElement | null} */ (first ?? this.root.querySelector(`[data-open="${CSS.escape(was)}"]`))?.focus();
  }

  /** @param {MouseEvent} e */
  click(e) {
    const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
    if (!button) return;
    const d = button.dataset;
    if (d.open !== undefined) void this.unfold(d.open === this.open ? "" : d.open);
    else if (d.add !== undefined) void this.add(d.kind ?? "", d.add);
    else if (d.filterDo) void this.move(d.filterDo);
    else if ("begins" in d) void this.begins(button);
  }

  /** @param {string} kind @param {string} field */
  async add(kind, field) {
    const now = await this.how.make(this.path("filters"), new URLSearchParams({ do: "add", page: this.how.page(), kind, field }));
    if (!now) return;
    this.how.changed();
    await this.unfold(now.filter);
  }

  /** @param {string} what */
  async move(what) {
    if (!(await this.how.make(this.path("filters"), new URLSearchParams({ do: what, filter: this.open })))) return;
    if (what === "remove") {
      this.open = "";
      say("Taken off; undo brings it back.");
    }
    this.how.changed();
    await this.show();
    const next = this.root.querySelector(what === "remove" ? "[data-open='+']" : `[data-filter-do=${what}]`);
    /** @type {HTMLElement | null} */ (next)?.focus();
  }

  /** Keeps the filter as its form has it; what is wrong is said there, and what was typed stays. @param {HTMLFormElement} form */
  async change(form) {
    const fields = new URLSearchParams(/** @type {any} */ (new FormData(form)));
    fields.set("do", "change");
    fields.set("filter", form.dataset.filter ?? "");
    const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
    wrong.hidden = true;
    if (!(await this.how.make(this.path("filters"), fields, (words) => {
      wrong.textContent = words;
      wrong.hidden = false;
    }))) return;
    this.how.changed();
    await this.show();
  }

  /** What the filter begins with is set as a viewer would set it. @param {HTMLElement} button */
  async begins(button) {
    const form = /** @type {HTMLFormElement} */ (button.closest("form"));
    const menu = `/view/${encodeURIComponent(this.how.dashboard)}/filters/${encodeURIComponent(this.open)}`;
    await popover(this.box, button, menu, () => ({ draft: "yes" }), (value) => {
      /** @type {HTMLInputElement} */ (form.elements.namedItem("default")).value = JSON.stringify(value);
      void this.change(form).then(() => /** @type {HTMLElement | null} */ (this.root.querySelector("[data-begins]"))?.focus());
    });
  }

  /** @param {HTMLInputElement} input */
  find(input) {
    if (input.id !== "candidate-find") return;
    const find = input.value.toLowerCase();
    const choices = /** @type {NodeListOf<HTMLElement>} */ (this.root.querySelectorAll(".choice"));
    choices.forEach((c) => c.classList.toggle("hidden", !(c.dataset.means ?? "").toLowerCase().includes(find)));
  }
}
