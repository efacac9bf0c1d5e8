/** The formula editor: completion of names, and the first results while one types. */
import { fill, post, Trouble } from "./api.js";

/** @typedef {{write: string, label: string, kind: string}} Name */

/** @param {HTMLElement} root */
function editor(root) {
  const area = /** @type {HTMLTextAreaElement} */ (root.querySelector("textarea"));
  const list = /** @type {HTMLElement} */ (root.querySelector(".completions"));
  const result = /** @type {HTMLElement} */ (root.querySelector(".formula-result"));
  /** @type {Name[]} */
  const names = JSON.parse(root.dataset.names ?? "[]");
  let timer = 0, asked = 0, chosen = 0;
  /** @type {Name[]} */
  let found = [];

  const check = async () => {
    const mine = ++asked;
    if (!area.value.trim()) return fill(result, "");
    try {
      const html = await post(root.dataset.check ?? "", { formula: area.value });
      if (mine === asked) fill(result, html);
    } catch (error) {
      if (mine === asked) result.textContent = error instanceof Trouble ? error.message : "";
    }
  };

  /** The word before the caret. */
  const word = () => {
    const before = area.value.slice(0, area.selectionStart);
    return /["\p{L}_][\p{L}\p{N}_ -]*$/u.exec(before)?.[0].replace(/^.*[ ](?=[^ ]*$)/u, (m) => (m.includes('"') ? m : "")) ?? "";
  };

  const close = () => {
    list.hidden = true;
    area.removeAttribute("aria-activedescendant");
  };

  const draw = () => {
    const w = word().replace('"', "").toLowerCase();
    const begins = (/** @type {Name} */ n) => n.write.replace(/"/g, "").startsWith(w);
    const mentions = (/** @type {Name} */ n) => n.kind !== "function" && n.label.toLowerCase().includes(w);
    found = w.length < 1 ? [] : [...names.filter(begins), ...names.filter((n) => !begins(n) && mentions(n))].slice(0, 8);
    chosen = 0;
    if (found.length === 0 || (found.length === 1 && found[0].write === word())) return close();
    list.replaceChildren(...found.map((n, i) => {
      const li = document.createElement("li");
      li.id = `${area.id}-c${i}`;
      li.setAttribute("role", "option");
      li.setAttribute("aria-selected", String(i === chosen));
      const name = document.createElement("b"), what = document.createElement("span");
      name.textContent = n.write;
      what.textContent = ` ${n.label}, ${n.kind}`;
      li.append(name, what);
      li.addEventListener("mousedown", (e) => {
        e.preventDefault();
        take(i);
      });
      return li;
    }));
    list.hidden = false;
    area.setAttribute("aria-activedescendant", `${area.id}-c0`);
  };

  /** @param {number} i */
  const take = (i) => {
    const at = area.selectionStart, w = word();
    area.setRangeText(found[i].write, at - w.length, at, "end");
    close();
    area.dispatchEvent(new Event("input"));
    close();
  };

  area.addEventListener("input", () => {
    draw();
    window.clearTimeout(timer);
    timer = window.setTimeout(check, 300);
  });
  area.addEventListener("keydown", (event) => {
    if (list.hidden) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      chosen = (chosen + (event.key === "ArrowDown" ? 1 : found.length - 1)) % found.length;
      [...list.children].forEach((li, i) => li.setAttribute("aria-selected", String(i === chosen)));
      area.setAttribute("aria-activedescendant", `${area.id}-c${chosen}`);
    } else if (event.key === "Enter" || event.key === "Tab") {
      event.preventDefault();
      take(chosen);
    } else if (event.key === "Escape") {
      event.preventDefault();
      close();
    }
  });
  area.addEventListener("blur", close);
  const help = /** @type {HTMLDetailsElement | null} */ (root.querySelector(".formula-help"));
  help?.addEventListener("toggle", async () => {
    const place = /** @type {HTMLElement} */ (help.querySelector("[data-help-place]"));
    if (!help.open || place.childElementCount) return;
    const response = await fetch(root.dataset.help ?? "", { headers: { "HX-Request": "true" } });
    fill(place, await response.text());
  });
  if (area.value) check();
}

/** Makes every formula editor under a node work. @param {ParentNode} under */
export function formulas(under) {
  under.querySelectorAll("[data-formula]").forEach((e) => editor(/** @type {HTMLElement} */ (e)));
}
