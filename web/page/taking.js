/** Taking away: files that are saved, and pictures that are copied. */
import { post, say } from "./api.js";

/** @typedef {Record<string, string> | [string, FormDataEntryValue][]} Fields */

/** Asks for a file and saves it by the name that it comes with. @param {string} path @param {Fields} fields @param {(done: number, of: number) => void} [told] @param {AbortSignal} [signal] */
export async function take(path, fields, told = () => {}, signal = undefined) {
  const { blob, name } = await post(path, fields, { file: told, signal });
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** Copies a picture. @param {string} path @param {Fields} fields */
async function copyPicture(path, fields) {
  const came = post(path, fields, { file: () => {} }).then((file) => file.blob);
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
 * data-copies that of a picture that is copied. How much there is stands at data-progress, and data-stop stops
 * it; what went wrong stands in the form.
 * @param {HTMLElement} place @param {() => Record<string, string>} about what is taken away of, besides what is chosen in the form
 */
export function taking(place, about) {
  place.addEventListener("submit", (e) => {
    const form = /** @type {HTMLFormElement} */ (e.target);
    if (!form.matches("form.take")) return;
    e.preventDefault();
    const by = /** @type {HTMLButtonElement} */ (/** @type {SubmitEvent} */ (e).submitter), { copies } = by.dataset;
    const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong")), progress = form.querySelector("[data-progress]"), stop = /** @type {HTMLElement | null} */ (form.querySelector("[data-stop]"));
    const chosen = [...new FormData(form)].filter(([name]) => !copies || name !== "kind");
    /** @type {[string, FormDataEntryValue][]} */
    const fields = [...chosen, ...Object.entries(about()), ...(copies ? /** @type {[string, string][]} */ ([["kind", "png"]]) : [])];
    const path = `${form.getAttribute("action")}${by.dataset.take ?? copies}`, aborts = new AbortController();
    /** @param {number} done @param {number} of */
    const told = (done, of) => {
      if (progress) progress.textContent = of ? `${done.toLocaleString()} of ${of.toLocaleString()}` : "…";
    };
    wrong.hidden = by.disabled = true;
    if (stop) {
      stop.hidden = false;
      stop.onclick = () => aborts.abort();
    }
    void (copies ? copyPicture(path, fields) : take(path, fields, told, aborts.signal)).catch((/** @type {Error} */ error) => {
      if (error.name === "AbortError") return say("It was stopped: nothing is saved.");
      wrong.textContent = error.message;
      wrong.hidden = false;
    }).finally(() => {
      by.disabled = false;
      if (stop) stop.hidden = true;
      if (progress) progress.textContent = "";
      by.focus();
    });
  });
}
