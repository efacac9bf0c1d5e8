/** Undo and redo over whole documents. */
export class History {
  /** @param {string} now @param {(document: string) => void} restore */
  constructor(now, restore) {
    /** @type {string[]} */
    this.past = [];
    /** @type {string[]} */
    this.future = [];
    this.now = now;
    this.restore = restore;
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

  /** Shows what can be undone and redone. */
  mark() {
    const undo = /** @type {HTMLButtonElement | null} */ (document.getElementById("undo"));
    const redo = /** @type {HTMLButtonElement | null} */ (document.getElementById("redo"));
    if (undo) undo.disabled = this.past.length === 0;
    if (redo) redo.disabled = this.future.length === 0;
  }
}
