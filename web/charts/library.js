/** The library: pictures of its charts, drawn as they come into view, and what is found among them. */
import { drawSmall } from "./picture.js";

const cards = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".library-card")]);
const seen = new IntersectionObserver((entries) => {
  for (const e of entries) {
    if (!e.isIntersecting) continue;
    seen.unobserve(e.target);
    void show(/** @type {HTMLElement} */ (e.target));
  }
}, { rootMargin: "200px" });
document.querySelectorAll(".library-picture[data-document]").forEach((p) => seen.observe(p));

/** @param {HTMLElement} place */
async function show(place) {
  const a = await drawSmall(place, place.dataset.document ?? "");
  if (a && !a.drawing && !a.html) place.textContent = a.nothing;
}

const find = /** @type {HTMLInputElement | null} */ (document.getElementById("library-find"));
const found = document.getElementById("library-found");
function sift() {
  const words = (find?.value ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  let n = 0;
  for (const card of cards) {
    const text = `${card.textContent} ${card.dataset.words}`.toLowerCase();
    card.hidden = !words.every((w) => text.includes(w));
    if (!card.hidden) n++;
  }
  if (found) found.textContent = words.length ? (n ? `${n} of ${cards.length}` : "None is called so, and none speaks of it.") : "";
}
find?.addEventListener("input", sift);
if (find?.value) sift();
