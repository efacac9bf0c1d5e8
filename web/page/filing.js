/** Where a document stands and who sees it: what is chosen in the line is kept at once. */
import { post } from "./api.js";

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
