/** The page that says what each form is for: draws each example once it comes into sight. */
import { post } from "../page/api.js";
import { Widget } from "../reading/widget.js";

const page = /** @type {HTMLElement} */ (document.querySelector(".forms"));

/** @param {HTMLElement} place */
async function show(place) {
  const widget = new Widget(place, { choose: () => {}, records: () => {} });
  widget.busy();
  try {
    widget.show(await post(`/view/${page.dataset.dashboard}/widgets/${place.dataset.widget}`, { state: "{}", draft: "yes" }, { json: true }));
  } catch (error) {
    widget.fail(/** @type {Error} */ (error).message, () => void show(place));
  }
}

const seen = new IntersectionObserver((entries) => {
  for (const e of entries) {
    if (!e.isIntersecting) continue;
    seen.unobserve(e.target);
    void show(/** @type {HTMLElement} */ (e.target));
  }
}, { rootMargin: "300px" });
page.querySelectorAll(".widget").forEach((w) => seen.observe(w));
