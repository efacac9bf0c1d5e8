/**
 * The sentence of the chosen chart, under the dashboard that it stands on. What it says is
 * changed there, and the chart is drawn where it stands.
 */
import { fill, post } from "../page/api.js";
import { edit } from "../charts/editing.js";

export class Panel {
  /**
   * @param {HTMLElement} root
   * @param {{dashboard: string, saved: () => Promise<void>, widget: (id: string) => import("../reading/widget.js").Widget | undefined, draw: (id: string) => Promise<any>,
   *   keep: (id: string, chart: string) => void, make: (tail: string) => Promise<any>, made: (id: string) => void, closed: (id: string) => void}} how
   */
  constructor(root, how) {
    this.root = root;
    this.how = how;
    this.id = "";
    /** @type {ReturnType<typeof edit> | null} */
    this.editing = null;
    root.addEventListener("click", (e) => {
      const what = /** @type {HTMLElement} */ (e.target).dataset.panel;
      if (what === "close") this.close();
      else if (what) void this.change(what);
    });
    root.addEventListener("keydown", (e) => {
      if (e.key === "Escape" && !this.editing) this.close();
    });
  }

  /** Opens the sentence of a chart. @param {string} id @param {boolean} focus */
  async open(id, focus) {
    this.editing?.close();
    this.editing = null;
    const was = this.id;
    this.id = id;
    if (was !== id) this.mark(was, false);
    this.mark(id, true);
    await this.how.saved();
    let html;
    try {
      html = await post("/charts/panel", { at: `${this.how.dashboard}/${id}` });
    } catch (error) {
      if (this.id === id) this.root.textContent = /** @type {Error} */ (error).message;
      return;
    }
    const widget = this.how.widget(id);
    if (this.id !== id || !widget) return; // another is chosen meanwhile
    fill(this.root, html);
    this.root.hidden = false;
    if (this.root.querySelector("#sentence")) {
      this.editing = edit(this.root, {
        preview: widget.place,
        widget,
        drawn: true,
        fields: { panel: "yes" },
        draw: () => this.how.draw(id),
        kept: (document, _, unfit) => {
          if (!unfit) this.how.keep(id, document);
          if (this.id !== id) void this.how.draw(id); // another has been chosen meanwhile
        },
        close: () => this.close(),
      });
    }
    widget.place.scrollIntoView({ block: "nearest" });
    if (focus) /** @type {HTMLElement | null} */ (this.root.querySelector(".sentence button, .panel-library a, .panel-library button"))?.focus();
  }

  /** Opens it anew for what the dashboard has become, or closes it where its chart is gone. @param {boolean} there */
  follow(there) {
    if (!this.id) return;
    if (there) void this.open(this.id, false);
    else this.close();
  }

  close() {
    if (!this.id) return;
    this.editing?.close();
    this.editing = null;
    const was = this.id;
    this.id = "";
    this.root.replaceChildren();
    this.root.hidden = true;
    this.mark(was, false);
    this.how.closed(was);
  }

  /** Moves the chart into the library, or makes a copy of the dashboard's own of one. @param {string} what */
  async change(what) {
    const now = await this.how.make(`widgets/${encodeURIComponent(this.id)}/${what}`);
    if (now) this.how.made(this.id);
  }

  /** @param {string} id @param {boolean} chosen */
  mark(id, chosen) {
    if (id) document.getElementById(id)?.classList.toggle("chosen", chosen);
  }
}
