/** The page of the chart editor. */
import { fill, post } from "../page/api.js";
import { History } from "../page/history.js";
import { taking } from "../page/taking.js";
import { Drawer } from "../reading/drawer.js";
import { Widget } from "../reading/widget.js";
import { edit } from "./editing.js";

const editor = /** @type {HTMLElement} */ (document.getElementById("chart-editor"));
const preview = /** @type {HTMLElement} */ (document.getElementById("preview"));
const figures = /** @type {HTMLElement} */ (document.getElementById("figures-table"));
const now = () => /** @type {HTMLInputElement} */ (document.getElementById("document")).value;
const drawer = new Drawer(/** @type {HTMLDialogElement} */ (document.getElementById("drawer")), () => ({ document: now() }));
const history = new History(now(), (document) => editing.set(document));
const widget = Widget.alone(preview, {
  choose: () => {},
  records: (mark, words) => void drawer.open("/charts/records", mark, words),
  keep: (cut) => editing.set(JSON.stringify(cut), true),
});

/** Draws a chart, and its figures beneath. @param {string} chart @param {() => boolean} stale */
async function draw(chart, stale) {
  widget.busy();
  try {
    const a = await post("/charts/answer", { document: chart }, { json: true });
    if (stale()) return null;
    widget.told(a);
    fill(figures, a.drawing ? a.html : "");
    return a;
  } catch (error) {
    if (stale()) return null;
    // Nothing of the chart before stays beside the words.
    widget.heading.textContent = /** @type {HTMLInputElement} */ (document.getElementById("chart-title")).value;
    widget.fail(/** @type {Error} */ (error).message, () => void draw(now(), () => false));
    figures.replaceChildren();
    return null;
  }
}

const editing = edit(editor, {
  preview,
  widget,
  fields: { at: editor.dataset.at ?? "" },
  draw,
  kept: (document, back) => {
    if (!back) history.add(document);
    history.mark();
  },
  escape: () => {
    if (!drawer.isOpen) return false;
    drawer.close();
    return true;
  },
});

taking(/** @type {HTMLElement} */ (document.getElementById("taking")), () => ({ document: now() }));

document.getElementById("place")?.addEventListener("click", async () => {
  try {
    await post("/charts/place", { document: now(), to: /** @type {HTMLSelectElement} */ (document.getElementById("to")).value });
  } catch (error) {
    /** @type {HTMLElement} */ (document.getElementById("wrong")).textContent = /** @type {Error} */ (error).message;
  }
});
