/**
 * The sentence typed: what is written is read as it is written, its end is completed, and what
 * stands for nothing is marked with what could stand there. Nothing is made of a line that is
 * not understood.
 */
import { post, say } from "../page/api.js";

/** @typedef {{sentence: string, document: string, missing: string, nothing: boolean, unknown: {text: string, from: number, to: number, offers: string[]}[], corrected: {typed: string, read: string, from: number, to: number}[], offers: {text: string, kind: string, from: number}[], others: Read[]}} Read */

const wait = 120; // milliseconds after a keystroke before it is asked

export class Typed {
  /** @param {HTMLElement} box @param {{now: () => string, use: (document: string) => Promise<void>, left: () => void}} page */
  constructor(box, page) {
    this.box = box;
    this.page = page;
    const find = /** @param {string} name */ (name) => /** @type {HTMLElement} */ (box.querySelector(`[data-typed="${name}"]`));
    this.line = /** @type {HTMLInputElement} */ (find("line"));
    this.list = find("offers");
    this.read = find("read");
    this.button = /** @type {HTMLButtonElement} */ (find("use"));
    this.at = -1;
    this.asked = 0;
    /** @type {Read | null} */
    this.answer = null;
    /** @type {Read["offers"]} */
    this.offered = [];
    this.line.addEventListener("input", () => this.later());
    this.line.addEventListener("keydown", (e) => this.key(e));
    this.line.addEventListener("blur", () => this.fold());
    this.list.addEventListener("pointerdown", (e) => e.preventDefault()); // the line keeps the focus
    this.list.addEventListener("click", (e) => this.pick([...this.list.children].indexOf(/** @type {Element} */ (/** @type {Element} */ (e.target).closest("[role=option]")))));
    this.button.addEventListener("click", () => void this.use());
    find("leave").addEventListener("click", () => this.leave());
  }

  /** Begins with a line. @param {string} line @param {boolean} [chosen] whether typing takes its place */
  open(line, chosen) {
    this.box.hidden = false;
    this.line.value = line;
    this.line.focus();
    if (chosen) this.line.select();
    this.later(0);
  }

  leave() {
    this.asked++;
    this.box.hidden = true;
    this.fold();
    this.page.left();
  }

  fold() {
    this.at = -1;
    this.list.hidden = true;
    this.line.setAttribute("aria-expanded", "false");
    this.line.removeAttribute("aria-activedescendant");
  }

  /** Asks what the line says, a moment after the last keystroke. @param {number} [after] */
  later(after = wait) {
    clearTimeout(this.timer);
    this.answer = null;
    this.timer = setTimeout(() => void this.ask(), after);
  }

  /** @returns {Promise<Read | null>} */
  async ask() {
    clearTimeout(this.timer);
    const mine = ++this.asked;
    try {
      const answer = /** @type {Read} */ (await post("/charts/words", { document: this.page.now(), line: this.line.value }, { json: true }));
      if (mine !== this.asked) return null; // something else is typed meanwhile
      this.answer = answer;
      this.show(answer);
      return answer;
    } catch (error) {
      if (mine === this.asked) this.read.replaceChildren(words("p", "wrong", /** @type {Error} */ (error).message));
      return null;
    }
  }

  /** @param {Read} a */
  show(a) {
    /** @type {HTMLElement[]} */
    const parts = [];
    if (this.line.value.trim() === "") parts.push(words("p", "hint", "Such as “yard cost by month since March” or “top 5 boats by hours, this year”."));
    else if (a.nothing) parts.push(words("p", "wrong", "Nothing of this is understood. Say what to measure, by what, and which records."));
    else parts.push(words("p", "understood", a.sentence));
    if (!a.nothing && a.missing && !a.unknown.length) parts.push(words("p", "hint", a.missing));
    for (const c of a.corrected) {
      const p = words("p", "hint", `“${c.typed}” is read as ${c.read}. `);
      p.append(this.instead(`as typed: “${c.typed}”`, `${this.line.value.slice(0, c.from)}“${c.typed}”${this.line.value.slice(c.to)}`));
      parts.push(p);
    }
    if (this.line.value.trim() !== "") {
      for (const u of a.unknown) {
        const p = words("p", "unknown", "");
        p.append(words("mark", "", u.text), u.offers.length ? " stands for nothing here. Is it " : " stands for nothing here.");
        u.offers.forEach((offer, i) => p.append(i ? ", " : "", this.instead(offer, this.line.value.slice(0, u.from) + offer + this.line.value.slice(u.to))));
        if (u.offers.length) p.append("?");
        parts.push(p);
      }
    }
    for (const other of a.others) {
      const p = words("p", "hint", "or: "), button = words("button", "phrase", other.sentence);
      button.setAttribute("type", "button");
      button.addEventListener("click", () => void this.take(other.document));
      p.append(button);
      parts.push(p);
    }
    this.read.replaceChildren(...parts);
    this.button.disabled = a.nothing || a.unknown.length > 0;
    this.offers(a.offers);
  }

  /** A button that writes the line anew. @param {string} text @param {string} line */
  instead(text, line) {
    const button = words("button", "phrase", text);
    button.setAttribute("type", "button");
    button.addEventListener("click", () => {
      this.line.value = line;
      this.line.focus();
      this.later(0);
    });
    return button;
  }

  /** @param {Read["offers"]} offers */
  offers(offers) {
    const chosen = this.offered[this.at]?.text;
    this.fold();
    this.offered = offers;
    if (!offers.length || document.activeElement !== this.line) return;
    this.list.replaceChildren(...offers.map((o, i) => {
      const li = words("li", "", o.text);
      li.id = `offer-${i}`;
      li.setAttribute("role", "option");
      if (o.kind) li.append(words("span", "kind", o.kind));
      return li;
    }));
    this.list.hidden = false;
    this.line.setAttribute("aria-expanded", "true");
    const again = offers.findIndex((o) => o.text === chosen);
    if (again >= 0) this.move(again); // what was chosen stays so while more is typed
  }

  /** @param {number} i */
  move(i) {
    const all = [...this.list.children];
    this.at = (i + all.length) % all.length;
    all.forEach((li, k) => li.setAttribute("aria-selected", String(k === this.at)));
    this.line.setAttribute("aria-activedescendant", `offer-${this.at}`);
  }

  /** Takes an offer for the end of the line. @param {number} i */
  pick(i) {
    const offer = this.offered[i];
    if (!offer) return;
    this.line.value = `${this.line.value.slice(0, offer.from)}${offer.text} `;
    this.fold();
    this.later(0);
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    const open = !this.list.hidden;
    if (open && (e.key === "ArrowDown" || e.key === "ArrowUp")) this.move(e.key === "ArrowDown" ? this.at + 1 : this.at < 0 ? -1 : this.at - 1);
    else if (open && (e.key === "Enter" || (e.key === "Tab" && !e.shiftKey)) && this.at >= 0) this.pick(this.at);
    else if (e.key === "Enter") void this.use();
    else if (e.key === "Escape" && open) this.fold();
    else if (e.key === "Escape") this.leave();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  /** Makes the line the chart, where all of it is understood. */
  async use() {
    const answer = this.answer ?? (await this.ask());
    if (!answer) return;
    if (answer.nothing || answer.unknown.length) {
      say(this.read.textContent ?? "");
      const unknown = answer.unknown[0];
      if (unknown) this.line.setSelectionRange(unknown.from, unknown.to);
      this.line.focus();
      return;
    }
    await this.take(answer.document);
  }

  /** @param {string} document */
  async take(document) {
    this.asked++;
    await this.page.use(document);
    this.leave();
  }
}

/** @param {string} tag @param {string} name @param {string} text */
function words(tag, name, text) {
  return Object.assign(document.createElement(tag), { className: name, textContent: text });
}
