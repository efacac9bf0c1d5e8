/**
 * The chart editor: each phrase of the sentence unfolds its choices; a choice carries
 * the whole document it would make, so choosing is replacing. It stands on a page of its own,
 * or under the dashboard that the chart stands on.
 */
import { fill, post, say } from "../page/api.js";
import { conditions } from "../page/condition.js";
import { formulas } from "../page/formula.js";
import { drawSmall, pictured } from "./picture.js";
import { Typed } from "./typed.js";

/**
 * Lets the parts of an editor work. The drawing's place and its widget are where the chart is
 * drawn; draw draws a document and answers with what it shows; kept is told of each chart that is
 * made, and whether it cannot be drawn as it says.
 * @param {HTMLElement} editor
 * @param {{preview: HTMLElement, widget: import("../reading/widget.js").Widget, fields: Record<string, string>, draw: (document: string, stale: () => boolean) => Promise<any>, kept: (document: string, back: boolean, unfit: boolean) => void, escape?: () => boolean, close?: () => void, drawn?: boolean}} how
 */
export function edit(editor, how) {
  const { preview, widget } = how;
  /** A part of the editor. @param {string} name @returns {HTMLElement} */
  const of = (name) => /** @type {HTMLElement} */ (editor.querySelector(`#${name}`));
  const sentence = of("sentence"), choices = of("choices"), wrong = of("wrong"), finish = of("finish");
  let open = "", section = "";
  /** What is listened to besides the editor's own parts is left when it is closed. */
  const gone = new AbortController(), { signal } = gone;

  const now = () => /** @type {HTMLInputElement} */ (of("document")).value;

  /** The phrase that a part belongs to: what a condition asks of a field is in that of all conditions, what one of a measure asks in the measure. @param {string} part */
  const phraseOf = (part) => (part.startsWith("where.") ? "where" : part.replace(/^those\.(\d+).*/, "measure.$1"));

  /** The chart that the choices were made for: each carries the whole chart that it would make. */
  let offered = "";
  /** Unfolds the choices of a part of the sentence. @param {string} part */
  async function unfold(part) {
    open = part;
    const of = now();
    try {
      const menu = await post("/charts/menu", { document: of, part });
      if (open !== part) return; // another phrase has been unfolded meanwhile
      fill(choices, menu);
      offered = of;
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      return;
    }
    sentence.querySelectorAll("[data-part]").forEach((p) => p.setAttribute("aria-expanded", String(p.getAttribute("data-part") === phraseOf(part))));
    conditions(choices);
    formulas(choices);
    void picture();
    void pictured(choices, JSON.parse(now()).dataset);
    /** @type {HTMLElement | null} */ (choices.querySelector("#own-label") ?? choices.querySelector(".chosen:not(:disabled)") ?? choices.querySelector("button:not(:disabled)"))?.focus();
  }

  /** Draws this chart small in each form that it could take. */
  async function picture() {
    for (const place of /** @type {NodeListOf<HTMLElement>} */ (choices.querySelectorAll(".thumb"))) {
      if (!place.isConnected) return;
      const a = await drawSmall(place, /** @type {HTMLElement} */ (place.closest(".choice")).dataset.document ?? "");
      if (!a?.drawing && !a?.html) place.remove(); // the form says why when it is chosen
    }
  }

  function fold() {
    if (!open) return;
    const part = open;
    open = "";
    choices.replaceChildren();
    sentence.querySelectorAll("[aria-expanded=true]").forEach((p) => p.setAttribute("aria-expanded", "false"));
    /** @type {HTMLElement | null} */ (sentence.querySelector(`[data-part="${phraseOf(part)}"]`) ?? sentence.querySelector(".adding"))?.focus();
  }

  /** Changes follow one another, so that none is made of what another is about to change. @type {Promise<void>} */
  let turn = Promise.resolve();
  /** @param {() => Promise<void>} change @returns {Promise<void>} */
  const inTurn = (change) => (turn = turn.then(change, change));

  /** Has a change made, which is kept even if another chart has been chosen meanwhile. @param {Record<string, string>} fields @param {boolean} back */
  async function changed(fields, back) {
    const html = await post("/charts/change", { ...how.fields, ...fields });
    const made = /** @type {HTMLInputElement} */ (new DOMParser().parseFromString(html, "text/html").getElementById("document"));
    if (!signal.aborted) fill(sentence, html);
    how.kept(made.value, back, !!made.dataset.unfit);
  }

  /** Makes a document the chart, says it and draws it. @param {string} document @param {Record<string, string>} fields @param {boolean} [back] */
  const change = (document, fields, back) => inTurn(() => made(document, fields, back));
  /** @param {string} document @param {Record<string, string>} fields @param {boolean} [back] */
  async function made(document, fields, back) {
    wrong.textContent = "";
    try {
      await changed({ document, ...fields }, !!back);
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      return;
    }
    if (signal.aborted) return;
    void refinish();
    say([...sentence.querySelectorAll(".sentence")].map((p) => p.textContent).join(""));
    void answer();
  }

  /** Says how the chart is finished, and shows the controls of the phrase that is unfolded. */
  async function refinish() {
    const mine = now(), shown = section;
    if (!JSON.parse(mine).dataset) return;
    let html = "";
    try {
      html = await post("/charts/finish", { document: mine, section });
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      return;
    }
    if (signal.aborted || mine !== now() || shown !== section) return; // another chart is chosen, or this one has changed, meanwhile
    const focused = finish.contains(document.activeElement) ? document.activeElement : null;
    const name = focused?.getAttribute("data-section"), id = focused?.id;
    // Phrases that stay are kept, so that a click on one is not lost meanwhile.
    const held = document.createElement("div");
    held.innerHTML = html;
    const was = phrases(finish), is = phrases(held);
    if (was.length === is.length && was.every((p, i) => p.dataset.section === is[i].dataset.section)) {
      was.forEach((p, i) => {
        p.textContent = is[i].textContent;
        p.className = is[i].className;
        p.setAttribute("aria-expanded", is[i].getAttribute("aria-expanded") ?? "false");
      });
      const unfolded = held.querySelector("#finish-open");
      finish.querySelector("#finish-open")?.remove();
      if (unfolded) finish.append(unfolded);
    } else fill(finish, html);
    if (id) document.getElementById(id)?.focus();
    else if (name) phrase(name)?.focus();
  }

  /** @param {HTMLElement} of @returns {HTMLElement[]} */
  const phrases = (of) => [...(/** @type {NodeListOf<HTMLElement>} */ (of.querySelectorAll("[data-section]")))];

  /** The phrase of a section of the finish. @param {string} name @returns {HTMLElement | null} */
  const phrase = (name) => finish.querySelector(`[data-section="${name}"]`);

  /** Unfolds a section of the finish, or folds it. @param {string} name */
  async function finishing(name) {
    section = name;
    await refinish();
  }
  finish.addEventListener("change", async (e) => {
    const input = /** @type {HTMLInputElement} */ (e.target);
    if (input.type === "file") {
      const file = input.files?.[0];
      if (file) void set(input, await file.text());
    } else void set(input, input.dataset.value ?? (input.type === "checkbox" ? (input.checked ? "yes" : "") : input.value));
  });
  finish.addEventListener("click", (e) => {
    const target = /** @type {HTMLElement} */ (e.target);
    const button = /** @type {HTMLElement | null} */ (target.closest("button[data-path]")), said = /** @type {HTMLElement | null} */ (target.closest("button[data-section]"));
    if (button) void set(button, button.dataset.value ?? "");
    if (said) void finishing(said.dataset.section === section ? "" : said.dataset.section ?? "");
  });

  /** Sets the part of the chart that a control is for. @param {HTMLElement} input @param {string} value */
  const set = (input, value) => inTurn(() => part(input, value));
  /** @param {HTMLElement} input @param {string} value */
  async function part(input, value) {
    await altered({ path: input.dataset.path ?? "", kind: input.dataset.kind ?? "", value }, /** @type {HTMLElement} */ (input.closest(".control")?.querySelector(".wrong")));
  }

  /** Changes the chart, and tells whether that could be done; what is wrong is said in a place, and what was typed stays. @param {Record<string, string>} fields @param {HTMLElement} said */
  async function altered(fields, said) {
    said.hidden = true;
    try {
      await changed({ document: now(), ...fields }, false);
    } catch (error) {
      said.textContent = /** @type {Error} */ (error).message;
      said.hidden = false;
      return false;
    }
    void answer();
    void refinish();
    return true;
  }

  /** Says what a choice has left out. @param {string} words */
  const note = (words) => tell(`${words} Undo brings it back.`);

  /** Says something beneath the sentence, until that changes. @param {string} words */
  function tell(words) {
    const p = document.createElement("p");
    p.className = "hint lost";
    p.textContent = words;
    sentence.append(p);
    say(words);
  }

  // A click on an axis, the legend, a heading or the title unfolds its phrase of the finish.
  preview.addEventListener("click", async (e) => {
    const target = /** @type {Element} */ (e.target);
    const name = target.closest("[data-finish]")?.getAttribute("data-finish") ?? (target.closest(".legend") ? "Names and colours" : target.closest("h2") ? "Words" : target.closest("thead th") && !target.closest("button") ? "Numbers" : "");
    if (!name) return;
    await finishing(name);
    const part = of("finish-open");
    part?.scrollIntoView({ block: "nearest" });
    // An entry of the legend leads to its own name and colour.
    const entry = target.closest(".legend li")?.textContent?.trim();
    const row = [...(part?.querySelectorAll(".row-name") ?? [])].find((r) => r.textContent === entry)?.closest(".control");
    row?.scrollIntoView({ block: "nearest" });
    if (row || !target.closest(".legend")) /** @type {HTMLElement | null} */ ((row ?? part)?.querySelector("input, select, textarea"))?.focus();
  }, { signal });

  let asked = "";
  async function answer() {
    const mine = (asked = now());
    const a = await how.draw(mine, () => mine !== asked || signal.aborted); // the sentence has changed meanwhile
    if (mine === asked && !signal.aborted) hint(a?.drawing?.hints ?? []);
  }

  /** Tells the author what of the finish has no effect here. @param {string[]} words */
  function hint(words) {
    const place = of("hints"), none = widget.chart?.unlabelled() ?? 0;
    const all = none ? [...words, `${none === 1 ? "One label has" : `${none} labels have`} no room at this size and ${none === 1 ? "is" : "are"} left out.`] : words;
    place.replaceChildren(...all.map((w) => Object.assign(document.createElement("p"), { className: "hint", textContent: w })));
  }

  const typed = new Typed(of("typed"), {
    now,
    use: (document) => change(document, {}),
    left: () => {
      /** @type {HTMLElement} */ (sentence.querySelector(".sentence")).hidden = false;
      document.getElementById("type-it")?.focus();
    },
  });

  /** Makes the sentence a line of text. @param {string} [begun] what has been typed already */
  function type(begun) {
    fold();
    const p = /** @type {HTMLElement} */ (sentence.querySelector(".sentence"));
    const text = [...p.childNodes].filter((n) => !(n instanceof HTMLElement) || n.dataset.part !== "add").map((n) => n.textContent).join("");
    const whole = JSON.parse(now()).dataset ? text.replace(/\s+/g, " ").replace(/ ,/g, ",").trim() : "";
    p.hidden = true;
    typed.open(begun ?? whole, begun === undefined);
  }
  sentence.addEventListener("keydown", (e) => {
    const target = /** @type {HTMLElement} */ (e.target);
    if (e.key.length !== 1 || e.key === " " || e.ctrlKey || e.metaKey || e.altKey || !target.closest(".sentence")) return;
    e.preventDefault();
    type(e.key);
  });

  sentence.addEventListener("click", (e) => {
    if (/** @type {HTMLElement} */ (e.target).id === "type-it") {
      type();
      return;
    }
    const phrase = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-part]"));
    if (!phrase) return;
    if (phrase.dataset.part === open) fold();
    else void inTurn(() => unfold(phrase.dataset.part ?? "")); // of what the chart becomes by what was chosen before
  });
  sentence.addEventListener("change", (e) => {
    const input = /** @type {HTMLInputElement} */ (e.target);
    if (input.id === "chart-title") void change(now(), { title: input.value });
  });
  choices.addEventListener("click", async (e) => {
    const condition = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-condition-path]"));
    if (condition) {
      const value = /** @type {HTMLInputElement} */ (choices.querySelector("[data-condition] input[type=hidden]")).value;
      await change(now(), { path: condition.dataset.conditionPath ?? "", kind: "json", value });
      if (!wrong.textContent) fold();
      return;
    }
    const reckoning = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-reckon] > button"));
    if (reckoning) {
      void reckon(/** @type {HTMLElement} */ (reckoning.parentElement));
      return;
    }
    const choice = /** @type {HTMLButtonElement | null} */ (/** @type {HTMLElement} */ (e.target).closest(".choice"));
    if (choice) void inTurn(() => chosen(choice, open));
  });
  /** What a choice is called. @param {Element} choice */
  const called = (choice) => [...choice.childNodes].filter((n) => n instanceof Text).map((n) => n.textContent).join("").trim();
  /** Makes a choice of a part. Where the chart has changed since it was offered, the same one of what is offered then is meant. @param {HTMLButtonElement} choice @param {string} part */
  async function chosen(choice, part) {
    if (!choice.isConnected || offered !== now()) {
      if (open !== part) return;
      if (offered !== now()) await unfold(part);
      const again = /** @type {HTMLButtonElement[]} */ ([...choices.querySelectorAll(".choice:not(:disabled)")]).find((c) => called(c) === called(choice));
      if (!again) return;
      choice = again;
    }
    const next = choice.dataset.next ?? "", lost = choice.dataset.lost, mend = choice.dataset.finish;
    await made(choice.dataset.document ?? "", {});
    if (lost && !wrong.textContent) note(lost);
    if (open !== part) return; // another phrase has been unfolded meanwhile
    if (mend) {
      fold();
      await finishing(mend);
      /** @type {HTMLElement | null} */ (finish.querySelector(".finish button"))?.focus();
    } else if (next) await unfold(next);
    else fold();
  }
  /** Keeps a formula that was written; what is wrong with it is said beside it. @param {HTMLElement} box */
  const reckon = (box) => inTurn(async () => {
    const part = box.dataset.reckon ?? "", label = /** @type {HTMLInputElement} */ (box.querySelector("input")).value.trim();
    if (!(await altered({ part, label, formula: box.querySelector("textarea")?.value ?? "" }, /** @type {HTMLElement} */ (box.querySelector(":scope > .wrong"))))) return;
    fold();
    if (part.startsWith("own")) tell(`“${label}” can be chosen wherever a field is.`);
  });
  choices.addEventListener("input", (e) => {
    const input = /** @type {HTMLInputElement} */ (e.target), find = input.value.toLowerCase();
    if (input.id !== "choice-find") return;
    if (input.dataset.search) {
      void seek(input);
      return;
    }
    choices.querySelectorAll(".choice").forEach((c) => c.classList.toggle("hidden", !(c.textContent ?? "").toLowerCase().includes(find)));
  });
  /** Looks for choices of which there are more than are shown. @param {HTMLInputElement} input */
  async function seek(input) {
    const find = input.value, held = document.createElement("div");
    try {
      held.innerHTML = await post("/charts/menu", { document: now(), part: input.dataset.search ?? "", find });
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      return;
    }
    if (find === input.value && input.isConnected) choices.querySelector(".choices")?.replaceWith(.../** @type {Iterable<Element>} */ (held.querySelectorAll(".choices")));
  }
  choices.addEventListener("keydown", (e) => {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
    if (!step || /** @type {HTMLElement} */ (e.target).matches("input")) return;
    const all = /** @type {HTMLElement[]} */ ([...choices.querySelectorAll(".choice:not(.hidden):not(:disabled)")]);
    all[(all.indexOf(/** @type {HTMLElement} */ (document.activeElement)) + step + all.length) % all.length]?.focus();
    e.preventDefault();
  });
  // A field that is offered can be dragged onto a phrase of the sentence, onto the axis along
  // the foot, which it then divides, and onto the legend or the marks, which it splits.
  let dragged = "";
  choices.addEventListener("dragstart", (e) => {
    const choice = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-field]"));
    dragged = choice?.dataset.field ?? "";
    e.dataTransfer?.setData("text/plain", choice?.textContent ?? "");
  });
  choices.addEventListener("dragend", () => (dragged = ""));
  /** The phrase that a place stands for. @param {Element} place */
  const target = (place) => place.closest("[data-part]")?.getAttribute("data-part") ?? (!preview.contains(place) ? "" : place.closest("[data-finish='Category axis']") ? "by.0" : "split");
  for (const place of [sentence, preview]) {
    place.addEventListener("dragover", (e) => {
      const part = dragged && target(/** @type {Element} */ (e.target));
      if (part) e.preventDefault();
      document.querySelectorAll(".dropping").forEach((p) => p.classList.remove("dropping"));
      if (part) (sentence.querySelector(`[data-part="${part}"]`) ?? sentence.querySelector(".adding"))?.classList.add("dropping");
    }, { signal });
    place.addEventListener("drop", (e) => {
      e.preventDefault();
      document.querySelectorAll(".dropping").forEach((p) => p.classList.remove("dropping"));
      void drop(dragged, target(/** @type {Element} */ (e.target)));
    }, { signal });
  }
  /** Makes a field what a phrase says, as choosing it there would. @param {string} field @param {string} part */
  async function drop(field, part) {
    const held = document.createElement("div");
    try {
      held.innerHTML = await post("/charts/menu", { document: now(), part: part === "add" ? "by.0" : part });
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      return;
    }
    const choice = /** @type {HTMLButtonElement | null} */ (held.querySelector(`.choice[data-field="${field}"]`));
    if (!choice || choice.disabled) {
      wrong.textContent = choice?.querySelector(".why")?.textContent ?? "This phrase has no place for a field.";
      return;
    }
    await change(choice.dataset.document ?? "", {});
    if (choice.dataset.lost && !wrong.textContent) note(choice.dataset.lost);
    if (open) await unfold(open);
  }

  document.addEventListener("keydown", (e) => {
    if (e.key !== "Escape" || how.escape?.()) return;
    if (open) fold();
    else if (section) {
      const said = section;
      void finishing("").then(() => phrase(said)?.focus());
    } else if (editor.contains(document.activeElement)) how.close?.();
  }, { signal });
  if (!how.drawn) void answer();
  else hint(widget.answer?.drawing?.hints ?? []);
  void refinish();
  if (!JSON.parse(now()).dataset) void unfold("dataset");
  return {
    /** Makes another document the chart: one that was made, or one of before. @param {string} document @param {boolean} [made] */
    set: (document, made = false) => void change(document, {}, !made),
    close: () => gone.abort(),
  };
}
