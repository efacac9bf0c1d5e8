/** What two documents say, whatever the order of their keys: what is empty is not there. @param {any} v @returns {any} */
function plain(v) {
  if (Array.isArray(v)) return v.map(plain);
  if (v === null || typeof v !== "object") return v;
  const keys = Object.keys(v).sort().map((k) => [k, plain(v[k])]);
  return Object.fromEntries(keys.filter(([, x]) => x !== null && x !== "" && x !== false && (typeof x !== "object" || Object.keys(x).length > 0)));
}

/** How many steps outlive a reload. */
const kept = 40;

/** Undo and redo over whole documents. With a name they outlive a reload of the page, where the document is as it was. */
export class History {
  /** @param {string} now @param {(document: string) => void} restore @param {string} [name] */
  constructor(now, restore, name = "") {
    /** @type {string[]} */
    this.past = [];
    /** @type {string[]} */
    this.future = [];
    this.now = now;
    this.restore = restore;
    this.name = name && `steps of ${name}`;
    this.recall();
    document.addEventListener("keydown", (e) => {
      if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "z" || /** @type {HTMLElement} */ (e.target).matches("input, textarea")) return;
      e.preventDefault();
      if (e.shiftKey) this.redo();
      else this.undo();
    });
    document.addEventListener("click", (e) => {
      const id = /** @type {HTMLElement} */ (e.target).id;
      if (id === "undo") this.undo();
      if (id === "redo") this.redo();
    });
  }

  /** @param {string} document */
  add(document) {
    if (document === this.now) return;
    this.past.push(this.now);
    this.future = [];
    this.now = document;
    this.mark();
  }

  undo() {
    this.step(this.past, this.future);
  }

  redo() {
    this.step(this.future, this.past);
  }

  /** @param {string[]} from @param {string[]} to */
  step(from, to) {
    const next = from.pop();
    if (next === undefined) return;
    to.push(this.now);
    this.now = next;
    this.restore(next);
    this.mark();
  }

  /** Takes up the steps of before a reload. */
  recall() {
    if (!this.name) return;
    try {
      const was = JSON.parse(sessionStorage.getItem(this.name) ?? "null");
      if (was && JSON.stringify(plain(JSON.parse(was.now))) === JSON.stringify(plain(JSON.parse(this.now)))) {
        this.past = was.past;
        this.future = was.future;
      }
    } catch {
      sessionStorage.removeItem(this.name);
    }
    this.mark();
  }

  /** Keeps the steps for a reload; where there is no room for them, none are. */
  keep() {
    if (!this.name) return;
    try {
      sessionStorage.setItem(this.name, JSON.stringify({ now: this.now, past: this.past.slice(-kept), future: this.future.slice(-kept) }));
    } catch {
      sessionStorage.removeItem(this.name);
    }
  }

  /** Shows what can be undone and redone. */
  mark() {
    this.keep();
    const undo = /** @type {HTMLButtonElement | null} */ (document.getElementById("undo"));
    const redo = /** @type {HTMLButtonElement | null} */ (document.getElementById("redo"));
    if (undo) undo.disabled = this.past.length === 0;
    if (redo) redo.disabled = this.future.length === 0;
  }
}
