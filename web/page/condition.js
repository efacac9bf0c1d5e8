/**
 * The condition editor. It writes a condition as JSON into a hidden field; what there is
 * to choose, and in which words, comes from the server, which also says the result.
 */
import { post, Trouble } from "./api.js";

/**
 * @typedef {{name: string, label: string, type: string, link?: boolean, list?: string[]}} Field
 * @typedef {{fields: Field[], ops: Record<string, string[][]>, ranges: string[][], parts?: string[][], named?: string[][], settings?: string[][]}} Choices
 */

const several = ["one_of", "none_of", "other_than"];
let count = 0;

/** @param {string} tag @param {Record<string, string>} attributes @param {(Node | string)[]} [inside] @returns {HTMLElement} */
function make(tag, attributes, inside = []) {
  const e = document.createElement(tag);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  e.append(...inside);
  return e;
}

/** @param {string} label @param {string[][]} options @param {string} chosen @returns {HTMLSelectElement} */
function select(label, options, chosen) {
  const s = /** @type {HTMLSelectElement} */ (make("select", { class: "form-select", "aria-label": label }));
  for (const [value, words] of options) s.append(make("option", value === chosen ? { value, selected: "" } : { value }, [words]));
  return s;
}

class Editor {
  /** @param {HTMLElement} root */
  constructor(root) {
    this.root = root;
    /** @type {Choices} */
    this.choices = JSON.parse(root.dataset.choices ?? "{}");
    /** @type {string[]} */
    this.attributes = JSON.parse(root.dataset.attributes ?? "[]") ?? [];
    this.viewer = root.dataset.attributes !== undefined; // as rules do, and filters do not
    this.hidden = /** @type {HTMLInputElement} */ (root.querySelector("input[type=hidden]"));
    this.place = /** @type {HTMLElement} */ (root.querySelector(".condition-rows"));
    this.words = /** @type {HTMLElement} */ (root.querySelector(".condition-words"));
    const written = this.hidden.value ? JSON.parse(this.hidden.value) : null;
    /** @type {any} */
    this.top = written && typeof written === "object" ? (written.all || written.any ? written : { all: [written] }) : { all: [] };
    // What one field is asked begins with it, where nothing is asked of it yet.
    const begin = this.begin(), parts = this.top.all ?? this.top.any;
    if (root.dataset.begin && !parts.some((/** @type {any} */ p) => p.field === begin.name)) parts.push({ field: begin.name, between: ["", ""] });
    this.draw();
  }

  /** The field that a new condition begins with. @returns {Field} */
  begin() {
    return this.choices.fields.find((f) => f.name === this.root.dataset.begin) ?? this.choices.fields[0];
  }

  /** Writes the condition and has the server say it. */
  keep() {
    const parts = this.top.all ?? this.top.any;
    const whole = parts.length === 1 ? parts[0] : this.top;
    this.hidden.value = parts.length === 0 ? "" : JSON.stringify(whole);
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => this.say(), 350);
  }

  async say() {
    const begun = /:\["",|,""\]|:""/.test(this.hidden.value); // and not written to its end
    if (!this.root.dataset.check || !this.hidden.value || begun) {
      this.words.textContent = this.hidden.value ? "" : "Every record.";
      this.words.className = "hint condition-words";
      return;
    }
    try {
      this.words.textContent = (await post(this.root.dataset.check, { where: this.hidden.value })).trim();
      this.words.className = "hint condition-words";
    } catch (error) {
      this.words.textContent = error instanceof Trouble ? error.message : "";
      this.words.className = "wrong condition-words";
    }
  }

  draw() {
    this.place.replaceChildren(this.group(this.top, true));
    this.keep();
  }

  /** @param {any} node @param {boolean} top @returns {HTMLElement} */
  group(node, top) {
    const key = node.any ? "any" : "all";
    const parts = node[key];
    const box = make("div", { class: top ? "condition-group top" : "condition-group", role: "group", "aria-label": "Conditions" });
    if (parts.length > 1 || !top) {
      const join = select("How the conditions are joined", [["all", "all of these"], ["any", "any of these"]], key);
      join.addEventListener("change", () => {
        delete node[key];
        node[join.value] = parts;
        this.draw();
      });
      box.append(join);
    }
    parts.forEach((/** @type {any} */ part, /** @type {number} */ i) => {
      const line = make("div", { class: "condition-line" });
      const not = part.not !== undefined && (part.not.all || part.not.any);
      if (part.all || part.any) line.append(this.group(part, false));
      else if (not) line.append(make("span", {}, ["not"]), this.group(part.not, false));
      else line.append(...this.leaf(parts, i));
      const drop = make("button", { type: "button", class: "plain", "aria-label": "take away this condition" }, ["take away"]);
      drop.addEventListener("click", () => {
        parts.splice(i, 1);
        this.draw();
      });
      line.append(drop);
      box.append(line);
    });
    const add = make("button", { type: "button", class: "plain" }, [parts.length ? "and another condition" : "add a condition"]);
    add.addEventListener("click", () => {
      parts.push(this.fresh(this.begin()));
      this.draw();
    });
    box.append(add);
    if (top && parts.length) {
      const nest = make("button", { type: "button", class: "plain" }, ["a group of conditions"]);
      nest.addEventListener("click", () => {
        parts.push({ any: [this.fresh(this.begin())] });
        this.draw();
      });
      box.append(nest);
    }
    return box;
  }

  /** @param {Field} field @returns {any} */
  fresh(field) {
    return { field: field.name, filled: true };
  }

  /** The controls of one comparison. @param {any[]} parts @param {number} i @returns {HTMLElement[]} */
  leaf(parts, i) {
    const part = parts[i];
    const named = (this.choices.named ?? []).map(([n, t]) => [`?${n}`, t]);
    const options = [...this.choices.fields.map((f) => [f.name, f.label]), ...named];
    const which = select("Field", options, part.named ? `?${part.named}` : part.field);
    which.addEventListener("change", () => {
      parts[i] = which.value.startsWith("?") ? { named: which.value.slice(1) } : this.fresh(/** @type {Field} */ (this.choices.fields.find((f) => f.name === which.value)));
      this.draw();
    });
    if (part.named) return [which, make("span", { class: "hint" }, ["kept by name"])];
    const field = this.choices.fields.find((f) => f.name === part.field) ?? this.choices.fields[0];
    const op = Object.keys(part).find((k) => k !== "field" && k !== "part") ?? "filled";
    const offered = [...(this.choices.ops[field.type] ?? [])];
    if (field.link) offered.push(["not_shown", "is not shown"]);
    const how = select("Comparison", offered, op);
    how.addEventListener("change", () => {
      const value = ["filled", "empty", "not_shown"].includes(how.value) ? true : how.value === "within" ? JSON.parse(this.choices.ranges[0][0]) : several.includes(how.value) ? [] : how.value === "between" ? ["", ""] : "";
      parts[i] = { field: field.name, [how.value]: value };
      this.draw();
    });
    return [which, how, ...this.values(part, field, op)];
  }

  /** @param {any} part @param {Field} field @param {string} op @returns {HTMLElement[]} */
  values(part, field, op) {
    const value = part[op];
    if (value === true && ["filled", "empty", "not_shown"].includes(op)) return [];
    if (op === "within") {
      const written = JSON.stringify(value);
      const ranges = this.choices.ranges.some(([r]) => r === written) ? this.choices.ranges : [[written, value.from ? "from date to date" : "as it is"], ...this.choices.ranges];
      const s = select("Range of dates", [...ranges, ["dates", "from date to date …"]], written);
      const out = [s];
      s.addEventListener("change", () => {
        const today = new Date().toISOString().slice(0, 10);
        part.within = s.value === "dates" ? { from: today, to: today } : JSON.parse(s.value);
        this.draw();
      });
      if (value?.from) out.push(.../** @type {any} */ (["from", "to"].map((end) => {
        const d = /** @type {HTMLInputElement} */ (make("input", { type: "date", class: "form-control", value: value[end], "aria-label": end }));
        d.addEventListener("change", () => {
          value[end] = d.value;
          this.keep();
        });
        return d;
      })));
      return out;
    }
    const list = Array.isArray(value) ? value : [value];
    if (this.viewer && list.length <= 1 && op !== "between") {
      const from = list[0] && typeof list[0] === "object" ? "viewer" : "value";
      const who = select("Compared with", [["value", "the value"], ["viewer", "the viewer's"]], from);
      who.addEventListener("change", () => {
        const one = who.value === "viewer" ? { viewer: this.attributes[0] ?? "" } : "";
        part[op] = Array.isArray(value) ? [one] : one;
        this.draw();
      });
      if (from === "viewer") {
        const name = this.input(list[0].viewer, "Attribute of the viewer", this.attributes.map((a) => [a, a]), (v) => {
          list[0].viewer = v;
          this.keep();
        });
        return [who, ...name];
      }
      return [who, ...this.literal(part, field, op)];
    }
    return this.literal(part, field, op);
  }

  /** @param {any} part @param {Field} field @param {string} op @returns {HTMLElement[]} */
  literal(part, field, op) {
    const value = part[op];
    const known = field.type === "boolean" ? [["true", "yes"], ["false", "no"]] : (field.list ?? []).map((v) => [v, v]);
    const type = field.type === "date" || field.type === "timestamp" ? "date" : "text";
    if (op === "between") {
      return value.flatMap((/** @type {string} */ v, /** @type {number} */ n) => this.input(v, n ? "to" : "from", [], (text) => {
        value[n] = text;
        this.keep();
      }, type));
    }
    if (several.includes(op)) return this.list(part, field, op, known, type);
    return this.input(typeof value === "object" ? "" : value, "Value", known, (v) => {
      part[op] = v;
      this.keep();
    }, type, field);
  }

  /** A field for each of several values, and one for the next. @param {any} part @param {Field} field @param {string} op @param {string[][]} known @param {string} type @returns {HTMLElement[]} */
  list(part, field, op, known, type) {
    const box = make("span", { class: "condition-values", role: "group", "aria-label": "Values" });
    const boxes = () => /** @type {HTMLInputElement[]} */ ([...box.querySelectorAll("input")]);
    const add = (/** @type {string} */ value) => {
      box.append(...this.input(value, "One of the values", known, () => {
        part[op] = boxes().map((b) => b.value.trim()).filter(Boolean);
        if (boxes().every((b) => b.value)) add("");
        this.keep();
      }, type, field));
    };
    [...part[op], ""].forEach(add);
    return [box];
  }

  /**
   * A field to type in, with what may be meant.
   * @param {string} value @param {string} label @param {string[][]} known @param {(v: string) => void} set @param {string} [type] @param {Field} [field]
   * @returns {HTMLElement[]}
   */
  input(value, label, known, set, type = "text", field) {
    const id = `known-${++count}`;
    const data = make("datalist", { id }, known.map(([v, words]) => make("option", { value: v }, [words])));
    const box = /** @type {HTMLInputElement} */ (make("input", { type, class: "form-control", value: value ?? "", "aria-label": label, list: id, autocomplete: "off" }));
    box.addEventListener("input", () => set(box.value));
    if (field && known.length === 0 && this.root.dataset.values && type === "text") {
      box.addEventListener("focus", async () => {
        const response = await fetch(`${this.root.dataset.values}?${new URLSearchParams({ field: field.name })}`, { headers: { Accept: "application/json" } });
        if (response.ok) data.replaceChildren(...(await response.json()).map((/** @type {{key: string, label: string}} */ v) => make("option", { value: v.key }, [v.label])));
      }, { once: true });
    }
    return [box, data];
  }
}

/** Makes every condition editor under a node work. @param {ParentNode} under */
export function conditions(under) {
  under.querySelectorAll("[data-condition]").forEach((e) => new Editor(/** @type {HTMLElement} */ (e)));
}
