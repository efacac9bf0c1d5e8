/** Freezing what is seen as a snapshot. */
import { post } from "../page/api.js";

/** Freezes as a form says, and goes to what was frozen. @param {HTMLFormElement} form @param {string} address @param {Record<string, string>} about the page as it is seen */
export async function freeze(form, address, about) {
  const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
  try {
    const made = await post(address, { ...about, ...Object.fromEntries(/** @type {any} */ (new FormData(form))) }, { json: true });
    location.assign(made.address);
  } catch (error) {
    wrong.textContent = /** @type {Error} */ (error).message;
    wrong.hidden = false;
  }
}
