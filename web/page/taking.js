/** Taking away: files that are saved, and pictures that are copied. */
import { post, say } from "./api.js";

/** Asks for a file and saves it by the name that it comes with. @param {string} path @param {Record<string, string>} fields */
export async function take(path, fields) {
  const { blob, name } = await post(path, fields, { file: true });
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** Copies a picture. @param {string} path @param {Record<string, string>} fields */
async function copyPicture(path, fields) {
  const came = post(path, { ...fields, kind: "png" }, { file: true }).then((file) => file.blob);
  came.catch(() => {}); // what went wrong is said below
  try {
    await navigator.clipboard.write([new ClipboardItem({ "image/png": came })]);
  } catch {
    await came; // says itself why there is none
    throw new Error("The browser does not let a picture be copied from here. It can be saved.");
  }
  say("The picture is copied.");
}

/**
 * Has the buttons of forms in a place take away what they say: data-take is the end of the address of a file,
 * data-copies that of a picture that is copied. What went wrong stands in the form.
 * @param {HTMLElement} place @param {() => Record<string, string>} about what is taken away of, besides what is chosen in the form
 */
export function taking(place, about) {
  place.addEventListener("submit", (e) => {
    const form = /** @type {HTMLFormElement} */ (e.target);
    if (!form.matches("form.take")) return;
    e.preventDefault();
    const by = /** @type {HTMLButtonElement} */ (/** @type {SubmitEvent} */ (e).submitter), wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
    const fields = { .../** @type {Record<string, string>} */ (Object.fromEntries(new FormData(form, by))), ...about() };
    wrong.hidden = true;
    by.disabled = true;
    const path = `${form.getAttribute("action")}${by.dataset.take ?? by.dataset.copies}`;
    void (by.dataset.copies ? copyPicture(path, fields) : take(path, fields)).catch((/** @type {Error} */ error) => {
      wrong.textContent = error.message;
      wrong.hidden = false;
    }).finally(() => {
      by.disabled = false;
      by.focus();
    });
  });
}
