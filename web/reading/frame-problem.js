/** Tells the page that holds the frame why it shows nothing; there is nothing in it that the page does not show. */
import { say } from "./tag/messages.js";

const p = /** @type {HTMLElement} */ (document.querySelector("[data-reason]"));
say(parent, "*", { say: "failed", reason: p.dataset.reason ?? "", words: p.textContent ?? "", whole: true });
