/** Small pictures of charts. */
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

/** A drawing without its words. @param {import("../reading/draw.js").Drawing} m */
function bare(m) {
  for (const axis of [m.axis, m.second, m.across, m.category]) if (axis) Object.assign(axis, { hidden: true, title: "" });
  for (const g of m.groups) Object.assign(g, { label: "", rate: "" });
  for (const s of m.series) for (const mark of s.marks) if (mark) Object.assign(mark, { text: "", label: "" });
  return { ...m, lines: [], total: "" };
}
