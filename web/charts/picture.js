/** Small pictures: of charts, and of what is in fields. */
import { fill, post } from "../page/api.js";
import { Chart } from "../reading/draw.js";

/**
 * Draws a chart small and without words; figures and lists stand as they are. Answers with what
 * it shows, or with nothing where it cannot be had.
 * @param {HTMLElement} place @param {string} document
 */
export async function drawSmall(place, document) {
  try {
    const a = await post("/charts/answer", { document }, { json: true });
    if (a.drawing) {
      const chart = new Chart(place, { choose: () => {}, records: () => {} });
      chart.option.remove(); // a picture has no words: what it belongs to says them
      chart.draw(bare(a.drawing), "");
    } else if (a.html) fill(place, a.html);
    return a;
  } catch {
    return null;
  }
}

/** A drawing without its words. @param {import("../drawing/drawing.js").Drawing} m */
function bare(m) {
  for (const axis of [m.axis, m.second, m.across, m.category]) if (axis) Object.assign(axis, { hidden: true, title: "" });
  for (const g of m.groups) Object.assign(g, { label: "", rate: "" });
  for (const s of m.series) for (const mark of s.marks) if (mark) Object.assign(mark, { text: "", label: "" });
  return { ...m, lines: [], total: "" };
}

/** What is in the fields of datasets, as small pictures. @type {Map<string, Promise<string>>} */
const pictures = new Map();

/**
 * Shows with each field that is offered in a place a small picture of its values. A choice says
 * of which dataset its field is, or all are of one.
 * @param {HTMLElement} place @param {string} [dataset]
 */
export async function pictured(place, dataset = "") {
  for (const choice of /** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll("[data-field]"))) {
    const of = choice.dataset.of ?? dataset;
    if (!of) continue;
    if (!pictures.has(of)) pictures.set(of, post("/charts/fields", { dataset: of }));
    try {
      const held = new DOMParser().parseFromString((await pictures.get(of)) ?? "", "text/html");
      const shown = held.querySelector(`[data-values="${CSS.escape(choice.dataset.field ?? "")}"]`);
      if (shown && !choice.querySelector(".values")) choice.append(document.importNode(shown, true));
    } catch {
      pictures.delete(of); // choosing goes on without
      return;
    }
  }
}
