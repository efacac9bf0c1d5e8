/**
 * Where drills lead: down from each widget of a page through fields, and through to other
 * places, each of which can be tried where it stands.
 */
import { fill, post, say } from "../page/api.js";
import { popover } from "../reading/popover.js";
import { Folded } from "./folded.js";

export class Drilling extends Folded {
  /**
   * @param {HTMLDetailsElement} fold @param {HTMLElement} box the popover
   * @param {{dashboard: string, page: () => string, saved: () => Promise<void>, make: (path: string, fields: any, wrong?: (words: string) => void) => Promise<any>}} how
   */
  constructor(fold, box, how) {
    super(fold, "drilling", how);
    this.box = box;
    this.how = how;
    this.place.addEventListener("click", (e) => {
      const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
      if (button) void this.click(button);
    });
    this.place.addEventListener("change", (e) => {
      const form = /** @type {HTMLElement} */ (e.target).closest("form");
      if (form) void this.change(form);
    });
    this.place.addEventListener("submit", (e) => e.preventDefault());
  }

  /** Unfolds a way. @param {string} name */
  async lead(name) {
    this.open = name;
    if (this.fold.open) await this.show();
    else this.fold.open = true;
    this.fold.scrollIntoView({ block: "nearest" });
  }

  /** @param {HTMLElement} button */
  async click(button) {
    const { down, way, wayDo } = button.dataset;
    if (down) await this.down(button, down);
    else if ("wayAdd" in button.dataset) {
      const now = await this.make({ do: "add" });
      if (now) await this.lead(now.way);
      /** @type {HTMLElement | null} */ (this.place.querySelector(".way-form select"))?.focus();
    } else if (way !== undefined) {
      const was = this.open;
      this.open = way === was ? "" : way;
      await this.show();
      /** @type {HTMLElement | null} */ (this.place.querySelector(this.open ? ".way-form select" : `[data-way="${was}"]`))?.focus();
    } else if (wayDo === "try") await this.try();
    else if (wayDo === "remove" && (await this.make({ do: "remove", way: this.open }))) {
      this.open = "";
      await this.show();
      say("Taken away; undo brings it back.");
      /** @type {HTMLElement | null} */ (this.place.querySelector("[data-way-add]"))?.focus();
    }
  }

  /** @param {Record<string, string>} fields */
  make(fields) {
    return this.how.make(`${this.address}/change`, { ...fields, page: this.how.page() });
  }

  /** Keeps a way as its form has it; what is wrong is said there. @param {HTMLFormElement} form */
  async change(form) {
    const fields = new URLSearchParams(/** @type {any} */ (new FormData(form)));
    fields.set("do", "change");
    fields.set("way", this.open);
    fields.set("page", this.how.page());
    const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
    wrong.hidden = true;
    if (!(await this.how.make(`${this.address}/change`, fields, (words) => {
      wrong.textContent = words;
      wrong.hidden = false;
    }))) return;
    await this.show();
  }

  /** Follows the way that is unfolded from one mark. */
  async try() {
    const tried = /** @type {HTMLElement} */ (this.place.querySelector(".tried"));
    tried.textContent = "trying …";
    await this.how.saved();
    try {
      fill(tried, await post(this.address, { page: this.how.page(), try: this.open }));
    } catch (error) {
      tried.textContent = /** @type {Error} */ (error).message;
    }
  }

  /** Opens what may be chosen for a drill down from a widget. @param {HTMLElement} button @param {string} widget */
  async down(button, widget) {
    await popover(this.box, button, this.address, () => ({ page: this.how.page(), widget }));
    const choose = async (/** @type {HTMLElement} */ from, /** @type {string | undefined} */ field) => {
      const d = from.dataset, goesOn = d.do === "step" || d.do === "back";
      this.box.hidePopover();
      if (!(await this.make({ do: d.do ?? "", widget, field: field ?? d.field ?? "" }))) return;
      await this.show();
      const again = /** @type {HTMLElement | null} */ (this.place.querySelector(`[data-down="${widget}"]`));
      again?.focus();
      if (again && goesOn) await this.down(again, widget); // a path is made step by step
    };
    this.box.onclick = (e) => {
      const chosen = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button[data-do]"));
      if (chosen) void choose(chosen, undefined);
    };
    this.box.onchange = (e) => {
      const select = /** @type {HTMLSelectElement} */ (e.target);
      if (select.value) void choose(select, select.value);
    };
    /** @type {HTMLElement | null} */ (this.box.querySelector("select, .chosen"))?.focus();
  }
}
