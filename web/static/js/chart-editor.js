/**
 * The chart editor: each phrase of the sentence unfolds its choices; a choice carries
 * the whole document it would make, so choosing is replacing.
 */
import { fill, post, say } from "./api.js";
import { Drawer } from "./drawer.js";
import { History } from "./history.js";
import { Widget } from "./widget.js";

const editor = /** @type {HTMLElement} */ (document.getElementById("chart-editor"));
const sentence = /** @type {HTMLElement} */ (document.getElementById("sentence"));
const choices = /** @type {HTMLElement} */ (document.getElementById("choices"));
const wrong = /** @type {HTMLElement} */ (document.getElementById("wrong"));
const preview = /** @type {HTMLElement} */ (document.getElementById("preview"));
const figures = /** @type {HTMLElement} */ (document.getElementById("figures-table"));
const at = editor.dataset.at ?? "";
const finish = /** @type {HTMLDetailsElement} */ (document.getElementById("finish"));
const controls = /** @type {HTMLElement} */ (document.getElementById("finish-controls"));
let open = "";

const now = () => /** @type {HTMLInputElement} */ (document.getElementById("document")).value;
const drawer = new Drawer(/** @type {HTMLDialogElement} */ (document.getElementById("drawer")), () => ({ document: now() }));
const history = new History(now(), (document) => void change(document, {}, true));

preview.innerHTML = '<div class="widget"><div class="widget-head"><h2></h2></div><div class="widget-body"></div></div>';
const widget = new Widget(/** @type {HTMLElement} */ (preview.firstElementChild), {
  choose: () => {},
  records: (mark, words) => void drawer.open("/charts/records", mark, words),
});

/** Unfolds the choices of a part of the sentence. @param {string} part */
async function unfold(part) {
  open = part;
  try {
    fill(choices, await post("/charts/menu", { document: now(), part }));
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
    return;
  }
  sentence.querySelectorAll("[data-part]").forEach((p) => p.setAttribute("aria-expanded", String(p.getAttribute("data-part") === part)));
  /** @type {HTMLElement | null} */ (choices.querySelector(".chosen:not(:disabled)") ?? choices.querySelector("button:not(:disabled)"))?.focus();
}

function fold() {
  if (!open) return;
  const part = open;
  open = "";
  choices.replaceChildren();
  sentence.querySelectorAll("[aria-expanded=true]").forEach((p) => p.setAttribute("aria-expanded", "false"));
  /** @type {HTMLElement | null} */ (sentence.querySelector(`[data-part="${part}"]`) ?? sentence.querySelector(".adding"))?.focus();
}

/** Makes a document the chart, says it and draws it. @param {string} document @param {Record<string, string>} fields @param {boolean} [back] */
async function change(document, fields, back) {
  wrong.textContent = "";
  try {
    fill(sentence, await post("/charts/change", { document, at, ...fields }));
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
    return;
  }
  if (!back) history.add(now());
  history.mark();
  void refinish();
  say([...sentence.querySelectorAll(".sentence")].map((p) => p.textContent).join(""));
  void answer();
}

/** Shows the controls of the finish, where they are unfolded. */
async function refinish() {
  if (!finish.open) return;
  const focused = document.activeElement?.id;
  try {
    fill(controls, await post("/charts/finish", { document: now() }));
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
  }
  if (focused) document.getElementById(focused)?.focus();
}
finish.addEventListener("toggle", () => void refinish());
controls.addEventListener("change", async (e) => {
  const input = /** @type {HTMLInputElement} */ (e.target), value = input.type === "checkbox" ? (input.checked ? "yes" : "") : input.value;
  const said = /** @type {HTMLElement} */ (input.closest(".control")?.querySelector(".wrong"));
  said.hidden = true;
  try {
    fill(sentence, await post("/charts/change", { document: now(), at, path: input.dataset.path ?? "", kind: input.dataset.kind ?? "", value }));
  } catch (error) {
    said.textContent = /** @type {Error} */ (error).message; // what was typed stays
    said.hidden = false;
    return;
  }
  history.add(now());
  history.mark();
  void answer();
  void refinish();
});

let asked = "";
async function answer() {
  const mine = (asked = now());
  widget.busy();
  try {
    const a = await post("/charts/answer", { document: mine }, { json: true });
    if (mine !== asked) return; // the sentence has changed meanwhile
    widget.show({ ...a, html: a.html || `<p class="nothing"></p>` });
    if (!a.html) /** @type {HTMLElement} */ (widget.body.firstElementChild).textContent = a.nothing;
    fill(figures, a.drawing ? a.html : "");
  } catch (error) {
    widget.fail(/** @type {Error} */ (error).message, () => void answer());
  }
}

sentence.addEventListener("click", (e) => {
  const phrase = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-part]"));
  if (!phrase) return;
  if (phrase.dataset.part === open) fold();
  else void unfold(phrase.dataset.part ?? "");
});
sentence.addEventListener("change", (e) => {
  const input = /** @type {HTMLInputElement} */ (e.target);
  if (input.id === "chart-title") void change(now(), { title: input.value });
});
choices.addEventListener("click", async (e) => {
  const choice = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest(".choice"));
  if (!choice) return;
  const next = choice.dataset.next ?? "", document = choice.dataset.document ?? "", part = open;
  await change(document, {});
  if (open !== part) return; // another phrase has been unfolded meanwhile
  if (next) await unfold(next);
  else fold();
});
choices.addEventListener("input", (e) => {
  const find = /** @type {HTMLInputElement} */ (e.target).value.toLowerCase();
  choices.querySelectorAll(".choice").forEach((c) => c.classList.toggle("hidden", !(c.textContent ?? "").toLowerCase().includes(find)));
});
choices.addEventListener("keydown", (e) => {
  const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
  if (!step || /** @type {HTMLElement} */ (e.target).matches("input")) return;
  const all = /** @type {HTMLElement[]} */ ([...choices.querySelectorAll(".choice:not(.hidden):not(:disabled)")]);
  all[(all.indexOf(/** @type {HTMLElement} */ (document.activeElement)) + step + all.length) % all.length]?.focus();
  e.preventDefault();
});
document.addEventListener("keydown", (e) => {
  if (e.key !== "Escape") return;
  if (drawer.isOpen) drawer.close();
  else fold();
});
document.getElementById("place")?.addEventListener("click", async () => {
  try {
    await post("/charts/place", { document: now(), to: /** @type {HTMLSelectElement} */ (document.getElementById("to")).value });
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
  }
});
void answer();
if (!JSON.parse(now()).dataset) void unfold("dataset");
