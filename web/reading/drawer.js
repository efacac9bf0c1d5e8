/** The records drawer: the list of records behind a mark, from the bottom of the page. */
import { fill, post, say } from "../page/api.js";
import { take, taking } from "../page/taking.js";

/** Which drawer opened a dialog last: several may share one. @type {WeakMap<HTMLDialogElement, Drawer>} */
const openers = new WeakMap();

/** Dialogs whose records can be taken away. @type {WeakSet<HTMLDialogElement>} */
const takers = new WeakSet();

export class Drawer {
  /**
   * @param {HTMLDialogElement} dialog
   * @param {() => Record<string, string>} more fields that go with every request
   */
  constructor(dialog, more) {
    this.dialog = dialog;
    this.more = more;
    /** @type {Record<string, string>} */
    this.fields = {};
    this.address = "";
    /** @type {Element | null} */
    this.opener = null;
    dialog.addEventListener("click", (e) => this.click(e));
    if (!takers.has(dialog)) {
      takers.add(dialog);
      taking(dialog, () => {
        const by = /** @type {Drawer} */ (openers.get(dialog));
        return { ...by.more(), ...by.fields };
      });
    }
    dialog.addEventListener("change", (e) => {
      const tick = /** @type {HTMLInputElement} */ (e.target), name = tick.dataset.column;
      if (!name || openers.get(dialog) !== this) return;
      const shown = this.columns();
      void this.choose(tick.checked ? [...shown, name] : shown.filter((n) => n !== name), `[data-column="${CSS.escape(name)}"]`);
    });
  }

  get isOpen() {
    return this.dialog.open;
  }

  /** @param {string} address @param {object} mark @param {string} words */
  open(address, mark, words) {
    return this.ask(address, { mark: JSON.stringify(mark), words });
  }

  /** Opens the drawer with what an address answers. @param {string} address @param {Record<string, string>} fields */
  async ask(address, fields) {
    openers.set(this.dialog, this);
    this.opener = document.activeElement;
    this.address = address;
    this.fields = fields;
    /** What lies under the list that is shown. @type {{address: string, fields: Record<string, string>} | null} */
    this.under = null;
    await this.load();
    if (!this.dialog.open) this.dialog.show();
    this.place();
    /** @type {HTMLElement | null} */ (this.dialog.querySelector("h2"))?.focus();
  }

  async load() {
    try {
      fill(this.dialog, await post(this.address, { ...this.more(), ...this.fields }));
      say(this.dialog.querySelector("h2")?.textContent ?? "");
      if (this.under) this.lead();
    } catch (error) {
      const p = document.createElement("p");
      p.className = "wrong";
      p.textContent = /** @type {Error} */ (error).message;
      const close = document.createElement("button");
      close.className = "plain";
      close.dataset.close = "";
      close.textContent = "close";
      this.dialog.replaceChildren(p, close);
    }
  }

  /** The columns that are shown, in order. @returns {string[]} */
  columns() {
    return this.fields.columns ? JSON.parse(this.fields.columns) : [...this.dialog.querySelectorAll("[data-column]:checked")].map((tick) => /** @type {HTMLElement} */ (tick).dataset.column ?? "");
  }

  /** Shows other columns, with the choice still open where it was. @param {string[]} columns @param {string} at */
  async choose(columns, at) {
    if (columns.length === 0) return this.load(); // one is always shown
    this.fields = { ...this.fields, columns: JSON.stringify(columns) };
    await this.load();
    /** @type {HTMLDetailsElement | null} */ (this.dialog.querySelector(".columns"))?.setAttribute("open", "");
    /** @type {HTMLElement | null} */ (this.dialog.querySelector(at) ?? this.dialog.querySelector(".columns summary"))?.focus();
  }

  /** Takes what an address answers away as a file. @param {string} address */
  async save(address) {
    try {
      await take(address, { ...this.more(), ...this.fields });
    } catch (error) {
      say(/** @type {Error} */ (error).message);
    }
  }

  /** Puts what leads back to what lies under the list. */
  lead() {
    const back = document.createElement("button");
    Object.assign(back, { type: "button", className: "plain", textContent: "‹ back" });
    back.dataset.back = "";
    this.dialog.querySelector(".drawer-head span")?.prepend(back, " ");
  }

  /**
   * In a frame, which is as high as its content, the drawer lies at the lower edge of
   * what of the frame is in sight; elsewhere the style sheet puts it at the window's.
   */
  place() {
    if (parent === window) return;
    new IntersectionObserver(([seen], observer) => {
      observer.disconnect();
      const { bottom, height } = seen.intersectionRect, style = this.dialog.style;
      const high = Math.max(220, Math.min(height, innerHeight) * (this.dialog.classList.contains("large") ? 0.92 : 0.5));
      style.position = "absolute";
      style.bottom = "auto";
      style.height = `${high}px`;
      style.top = `${Math.max(0, bottom + scrollY - high)}px`;
    }).observe(document.documentElement);
  }

  close() {
    this.dialog.close();
    /** @type {HTMLElement | null} */ (this.opener)?.focus?.();
  }

  /** @param {Event} e */
  click(e) {
    const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
    if (!button || openers.get(this.dialog) !== this) return;
    const d = button.dataset;
    if ("close" in d) this.close();
    else if ("enlarge" in d) {
      this.dialog.classList.toggle("large");
      this.place();
    }
    else if (d.proofFile) void this.save(d.proofFile);
    else if ("copy" in d) copy(/** @type {HTMLTableElement} */ (this.dialog.querySelector("table.records")));
    else if (d.earlier) {
      const shown = this.columns(), at = shown.indexOf(d.earlier);
      if (at > 0) shown.splice(at - 1, 2, shown[at], shown[at - 1]);
      void this.choose(shown, `[data-earlier="${CSS.escape(d.earlier)}"]`);
    }
    else if (d.list) {
      this.under = { address: this.address, fields: this.fields };
      this.address = d.at ?? "";
      this.fields = { ...this.fields, ...JSON.parse(d.list) };
      void this.load();
    } else if ("back" in d && this.under) {
      Object.assign(this, this.under, { under: null });
      void this.load();
    }
    else if (d.number) {
      this.fields.number = d.number;
      void this.load();
    } else if (d.sort) {
      this.fields = { ...this.fields, sort: d.sort, down: d.down ?? "", number: "0" };
      void this.load();
    }
  }
}

/** Copies a table as lines with a tab between cells, as sheets take them. @param {HTMLTableElement} table */
function copy(table) {
  const rows = [...table.querySelectorAll("thead tr, tbody tr")].map((row) => [.../** @type {HTMLTableRowElement} */ (row).cells].map((cell) => (cell.textContent ?? "").replace(/[▲▼]/g, "").replace(/\s+/g, " ").trim()).join("\t"));
  const text = document.createElement("textarea");
  text.value = rows.join("\n");
  text.className = "visually-hidden";
  table.after(text);
  text.select();
  // In a frame of another site this is the way that browsers allow.
  say(document.execCommand("copy") ? `Copied: ${rows.length - 1} records of this page.` : "The browser did not let this be copied.");
  text.remove();
}
