/** A button copies what stands in an element: a link, a key, a snippet. */
import { say } from "./api.js";

document.addEventListener("click", async (event) => {
  const button = /** @type {HTMLElement} */ (event.target).closest("[data-copies]");
  if (!(button instanceof HTMLElement)) return;
  const of = document.getElementById(button.dataset.copies ?? "");
  try {
    await navigator.clipboard.writeText(of?.textContent ?? "");
    button.textContent = "copied";
    say("Copied");
  } catch {
    if (of) getSelection()?.selectAllChildren(of); // where there is no clipboard, it is marked for copying
  }
});
