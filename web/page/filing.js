/** Where a document stands and who sees it: what is chosen in the line is kept at once. */
import { post } from "./api.js";
import "./sharing.js";

const form = /** @type {HTMLFormElement | null} */ (document.querySelector(".filing"));
const said = form?.querySelector("[role=status]");
form?.addEventListener("submit", (e) => e.preventDefault());
form?.addEventListener("change", async () => {
  if (!said) return;
  try {
    const fields = Object.fromEntries(/** @type {any} */ (new FormData(form)));
    said.textContent = (await post(form.action, fields, { json: true })).said;
    said.className = "";
  } catch (error) {
    said.textContent = /** @type {Error} */ (error).message;
    said.className = "wrong";
  }
});

// What was said in the dialog of sharing is said in the line, too.
form?.addEventListener("sharing-done", (event) => {
  const { seen, others } = /** @type {CustomEvent} */ (event).detail;
  const select = /** @type {HTMLSelectElement | null} */ (form.querySelector("#seen")), link = form.querySelector("[data-sharing]");
  if (select) select.value = seen;
  if (link) link.textContent = others ? `and ${others} besides` : "share …";
});
