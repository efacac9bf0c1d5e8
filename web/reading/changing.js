/** Changing records where they are listed: in the cells of a table, and in the drawer of one record. */
import { fill, post, say, Trouble } from "../page/api.js";
import { closing, nowhere, under, unfold } from "./popover.js";

/** What a sheet lends. @typedef {{root: HTMLElement, path: (tail: string) => string, fields: () => Record<string, string>, popover: () => HTMLElement, drawer: () => import("./drawer.js").Drawer, refresh: (id: string) => Promise<void>}} Lent */
/** A field of a record. @typedef {{widget: string, key: string, field: string}} Place */

export class Changing {
  /** @param {Lent} lent */
  constructor(lent) {
    this.lent = lent;
    lent.root.addEventListener("click", (e) => this.click(e));
  }

  /** @param {Event} e */
  click(e) {
    const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
    if (!button) return;
    const at = this.at(button), d = button.dataset;
    if (d.change && at) void this.open({ ...at, field: d.change }, button);
    else if ("oneRecord" in d && at) void this.lent.drawer().ask(this.address(at, "record"), { key: at.key });
    else if (d.undo) void this.undo(at?.widget ?? d.of ?? "", d.undo);
  }

  /** The record that something stands in. @param {HTMLElement} inside */
  at(inside) {
    const row = /** @type {HTMLElement | null} */ (inside.closest("[data-key]"));
    if (!row) return null;
    return { widget: row.dataset.of ?? /** @type {HTMLElement | null} */ (row.closest(".widget"))?.dataset.widget ?? "", key: row.dataset.key ?? "" };
  }

  /** @param {{widget: string}} of @param {string} tail */
  address(of, tail) {
    return this.lent.path(`widgets/${encodeURIComponent(of.widget)}/${tail}`);
  }

  /** The places in which a field is seen just now. @param {Place} p @returns {HTMLElement[]} */
  seen(p) {
    const rows = [...this.lent.root.querySelectorAll(`[data-key="${CSS.escape(p.key)}"]`)].filter((row) => this.at(/** @type {HTMLElement} */ (row))?.widget === p.widget);
    return rows.flatMap((row) => [.../** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll(`[data-change="${CSS.escape(p.field)}"]`))]);
  }

  /**
   * Opens what a field is changed by under it, with what was typed before and why that was refused.
   * @param {Place} p @param {HTMLElement} button @param {{typed: string, why: string}} [refused]
   */
  async open(p, button, refused) {
    const box = this.lent.popover(), address = this.address(p, "change/field");
    const asked = { ...this.lent.fields(), key: p.key, field: p.field };
    try {
      unfold(box, button, await post(address, asked));
    } catch (error) {
      unfold(box, button, Object.assign(document.createElement("p"), { className: "wrong", textContent: /** @type {Error} */ (error).message }).outerHTML);
      box.tabIndex = -1;
      box.focus();
      return;
    }
    const form = /** @type {HTMLFormElement} */ (box.querySelector("form")), to = /** @type {HTMLInputElement} */ (box.querySelector("#change-to"));
    if (refused) {
      if (to.tagName !== "SELECT" || [.../** @type {any} */ (to).options].some((o) => o.value === refused.typed)) to.value = refused.typed;
      const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
      wrong.textContent = refused.why;
      wrong.hidden = false;
      under(box, button);
    }
    box.querySelector("#change-find")?.addEventListener("input", async (e) => {
      const find = /** @type {HTMLInputElement} */ (e.target).value;
      const options = await post(address, { ...asked, find, only: "options" });
      if (/** @type {HTMLInputElement} */ (e.target).value === find) fill(to, options);
    });
    // The table may have been drawn anew meanwhile: the keyboard goes on where the value is now.
    closing(box, () => this.back(p));
    box.onkeydown = (e) => {
      if (e.key === "Enter" && to.tagName === "TEXTAREA" && !e.shiftKey) {
        e.preventDefault();
        form.requestSubmit();
      }
    };
    box.onsubmit = (e) => {
      e.preventDefault();
      const shown = to.tagName === "SELECT" ? /** @type {any} */ (to).selectedOptions[0]?.textContent ?? "" : to.value;
      const sent = Object.fromEntries(/** @type {[string, string][]} */ ([...new FormData(form)]));
      box.hidePopover();
      void this.make(p, sent, shown);
    };
    to.focus();
  }

  /** Makes a change: it is shown at once, and taken back where it is refused. @param {Place} p @param {Record<string, string>} sent @param {string} shown */
  async make(p, sent, shown) {
    const before = this.seen(p)[0]?.textContent ?? "–";
    this.seen(p).forEach((b) => {
      b.textContent = shown || "–";
      b.classList.add("unsure");
    });
    try {
      const made = await post(this.address(p, "change"), { ...this.lent.fields(), key: p.key, field: p.field, ...sent }, { json: true });
      this.told(p.widget, made);
    } catch (error) {
      const trouble = /** @type {Trouble} */ (error), seen = this.seen(p);
      seen.forEach((b) => {
        b.textContent = trouble.about?.shown ?? before;
        b.classList.remove("unsure");
      });
      say(trouble.message);
      if (seen[0]) await this.open(p, seen.at(-1) ?? seen[0], { typed: sent.to, why: trouble.message });
      else this.line(p.widget, trouble.message);
    }
    await this.again(p.widget);
    this.back(p);
  }

  /** Leads the keyboard back to a field, if it is nowhere. @param {Place} p */
  back(p) {
    if (nowhere()) this.seen(p).at(-1)?.focus();
  }

  /** @param {string} widget @param {string} change */
  async undo(widget, change) {
    try {
      this.told(widget, await post(this.address({ widget }, "change/undo"), { ...this.lent.fields(), change }, { json: true }), "Undone: ");
    } catch (error) {
      this.line(widget, /** @type {Error} */ (error).message);
    }
    await this.again(widget);
  }

  /** Shows the records as they are now. @param {string} widget */
  async again(widget) {
    const drawer = this.lent.drawer();
    if (drawer.isOpen && drawer.dialog.querySelector(".record-sheet")) await drawer.load();
    await this.lent.refresh(widget);
  }

  /** Says under a table what was changed. @param {string} widget @param {{change: number, label: string, was: string, shown: string, told: string, title: string}} made @param {string} [before] */
  told(widget, made, before = "") {
    const words = (/** @type {string} */ s) => (s ? `“${s}”` : "empty");
    if (!made.change) return this.line(widget, `${made.label} of “${made.title}” is ${words(made.shown)} already.`);
    this.line(widget, `${before}${made.label} of “${made.title}”: ${words(made.was)} → ${words(made.shown)}. ${made.told}`, before ? "" : String(made.change));
  }

  /** @param {string} widget @param {string} words @param {string} [undo] */
  line(widget, words, undo) {
    const place = this.lent.root.querySelector(`.widget[data-widget="${CSS.escape(widget)}"]`);
    if (!place) return;
    let line = /** @type {HTMLElement | null} */ (place.querySelector(".changed-line"));
    if (!line) {
      line = document.createElement("p");
      line.className = "changed-line";
      line.setAttribute("role", "status");
      place.append(line);
    }
    line.textContent = `${words} `;
    if (!undo) return;
    const back = document.createElement("button");
    Object.assign(back, { type: "button", className: "plain", textContent: "undo" });
    back.dataset.undo = undo;
    back.dataset.of = widget;
    line.append(back);
  }
}

/** Makes the cells of a table that may be changed so, and gives each of its records a way to its own drawer. @param {HTMLElement} body */
export function changeable(body) {
  const table = body.querySelector("table.records"), head = table?.querySelector("thead tr");
  if (!table || !head || !table.querySelector("[data-key]")) return;
  const name = document.createElement("th");
  name.scope = "col";
  name.className = "row-tools";
  name.innerHTML = '<span class="visually-hidden">Record</span>';
  head.append(name);
  for (const row of /** @type {NodeListOf<HTMLTableRowElement>} */ (table.querySelectorAll("tr[data-key]"))) {
    const title = row.cells[0]?.textContent?.trim() ?? "";
    for (const cell of /** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll("td[data-edit]"))) {
      const change = document.createElement("button"), text = cell.textContent?.trim() ?? "";
      Object.assign(change, { type: "button", className: "change", textContent: text || "–" });
      change.dataset.change = cell.dataset.edit;
      change.setAttribute("aria-haspopup", "dialog");
      change.setAttribute("aria-label", `${cell.dataset.label}: ${text || "empty"}, change`);
      cell.replaceChildren(change);
    }
    const end = document.createElement("td"), open = document.createElement("button");
    Object.assign(open, { type: "button", className: "plain", textContent: "record" });
    open.dataset.oneRecord = "";
    open.setAttribute("aria-label", `Record of ${title}`);
    end.className = "row-tools";
    end.append(open);
    row.append(end);
  }
}
