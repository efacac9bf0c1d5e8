/** The page that says what each form is for: draws each example once it comes into sight. */
import { post } from "../page/api.js";
import { inSight } from "../reading/insight.js";

const page = /** @type {HTMLElement} */ (document.querySelector(".forms"));
inSight(page.querySelectorAll(".widget"), (place) =>
  post(`/view/${page.dataset.dashboard}/widgets/${place.dataset.widget}`, { state: "{}", draft: "yes" }, { json: true }));
