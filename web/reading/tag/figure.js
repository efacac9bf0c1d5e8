/**
 * <eskadel-figure>: a key figure in a sentence of the page, in its letters. Figures of one dashboard have one frame,
 * out of sight, that reads them.
 */
import { Connection } from "./connection.js";
import { named, Tag } from "./element.js";

/** @typedef {{key: unknown[], figures: Set<Figure>, connection: Connection, told: Map<string, import("./messages.js").ToTag & {say: "figures"}>, asked: string}} Reader */

/** @type {Reader[]} */
const readers = [];

/** What reads the figures that a tag wants; it is made where there is none. @param {Figure} figure @param {{home: string, app: string, name: string, source: import("./passes.js").Source}} wanted */
function join(figure, wanted) {
  const key = [wanted.home, wanted.app, wanted.name, wanted.source, figure.getAttribute("filters") ?? "", figure.language()];
  let reader = readers.find((r) => r.key.every((part, i) => part === key[i]));
  if (!reader) {
    const figures = new Set([figure]), told = new Map();
    const connection = new Connection({
      ...wanted,
      as: () => ({ figures: widgets(figures), language: figure.language(), ...(figure.hasAttribute("filters") ? { filters: /** @type {any} */ (figure.filters()) } : {}) }),
      heard: (message) => {
        if (message.say !== "figures") return;
        told.set(message.widget, message);
        for (const f of figures) f.hear(message);
      },
      failed: (reason, words) => figures.forEach((f) => f.fail(reason, words)),
    });
    reader = { key, figures, connection, told, asked: "" };
    readers.push(reader);
    connection.frame.title = "Figures";
    connection.frame.hidden = true;
    connection.frame.style.display = "none";
    document.body.append(connection.frame);
  }
  reader.figures.add(figure);
  ask(reader);
  const told = reader.told.get(figure.widget);
  if (told) figure.hear(told);
  return reader;
}

/** @param {Set<Figure>} figures */
const widgets = (figures) => [...new Set([...figures].map((f) => f.widget))].sort();

/** @param {Reader} reader */
function ask(reader) {
  const wanted = widgets(reader.figures), asked = JSON.stringify(wanted);
  if (asked !== reader.asked) reader.connection.say({ say: "figures", widgets: wanted });
  reader.asked = asked;
}

/** @param {Reader} reader @param {Figure} figure */
function leave(reader, figure) {
  reader.figures.delete(figure);
  if (reader.figures.size > 0) return ask(reader);
  reader.connection.end();
  readers.splice(readers.indexOf(reader), 1);
}

export class Figure extends Tag {
  static observedAttributes = [...named, "widget", "figure", "filters"];

  constructor() {
    super();
    /** @type {Reader | null} */
    this.reader = null;
  }

  get widget() {
    return this.getAttribute("widget") ?? "";
  }

  disconnectedCallback() {
    clearTimeout(this.patience);
    if (this.reader) leave(this.reader, this);
    this.reader = null;
  }

  changed() {
    const was = this.reader, wanted = this.wanted();
    this.reader = null;
    clearTimeout(this.patience);
    if ("words" in wanted) this.patience = window.setTimeout(() => this.fail(wanted.reason, wanted.words), wanted.wait);
    else if (!this.widget) this.fail("tag", "The tag does not say which key figures it is of (widget).");
    else this.reader = join(this, wanted);
    if (was && was !== this.reader) leave(was, this);
  }

  /** Shows words in place of what the page had there. @param {string} text @param {string} about */
  write(text, about) {
    this.textContent = text;
    this.title = about;
  }

  /** @param {import("./messages.js").ToTag & {say: "figures"}} told */
  hear(told) {
    if (told.widget !== this.widget) return;
    const which = this.getAttribute("figure") ?? "1", at = /^\d+$/.test(which) ? told.figures[Number(which) - 1] : told.figures.find((f) => f.label.toLowerCase() === which.trim().toLowerCase());
    if (!at) {
      this.fail("figure", told.figures.length ? `There is no figure “${which}” here: there is ${told.figures.map((f) => f.label).join(", ")}.` : `“${this.widget}” has no key figures.`);
      return;
    }
    this.write(at.text, told.sentence);
    this.tell("figure", { text: at.text, label: at.label, exact: at.exact });
  }

  /** @param {string} reason @param {string} words */
  fail(reason, words) {
    this.write("—", words);
    this.failed(reason, words);
  }
}
