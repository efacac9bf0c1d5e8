/** A ready-made dashboard before it is made: what is chosen is said anew, and drawn from the records. */
import { post, refill } from "../page/api.js";
import { inSight } from "../reading/insight.js";

const form = /** @type {HTMLFormElement | null} */ (document.getElementById("ready"));
const place = /** @type {HTMLElement} */ (document.getElementById("ready-place"));
const wrong = /** @type {HTMLElement} */ (document.getElementById("ready-wrong"));
let asked = {};

/** Draws what would be made. */
function draw() {
  const widgets = /** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll(".widget"));
  for (const section of widgets) {
    const [x, y, w, h] = (section.dataset.at ?? "").trim().split(" ").map(Number);
    section.style.setProperty("grid-area", `${y + 1} / ${x + 1} / span ${h} / span ${w}`);
  }
  inSight(widgets, (section) => post("/charts/answer", { document: section.dataset.document ?? "" }, { json: true }));
}

form?.addEventListener("change", async (e) => {
  if (/** @type {HTMLElement} */ (e.target).id === "ready-title") return;
  const mine = (asked = {});
  try {
    // The form has a field that is called dataset, which hides its own.
    const html = await post(form.getAttribute("data-said") ?? "", new FormData(form));
    if (mine !== asked) return;
    wrong.textContent = "";
    refill(place, html);
    draw();
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
  }
});
document.getElementById("of")?.addEventListener("change", (e) => /** @type {HTMLSelectElement} */ (e.target).form?.submit());
draw();
