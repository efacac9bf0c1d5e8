/** What is sent by itself of a dashboard: signing up for it, and beginning it as the dashboard is looked at. */
import { fill, post, say } from "../page/api.js";

/** Signs up for a delivery, or ends it, as a button in a popover says. @param {HTMLButtonElement} button @param {string} address */
export async function mail(button, address) {
  const box = /** @type {HTMLElement} */ (button.closest("[popover]"));
  button.disabled = true;
  try {
    fill(box, await post(address, { id: button.value }));
    say(box.querySelector(".wrong")?.textContent ?? (button.dataset.mail === "leave" ? "You get no more of it." : "You get it."));
  } catch (error) {
    say(/** @type {Error} */ (error).message);
    button.disabled = false;
  }
  box.focus();
}

/** Has a link take along what is looked at now. @param {HTMLAnchorElement} link */
export function passView(link) {
  const to = new URL(link.href), here = new URL(location.href).searchParams;
  for (const part of ["page", "view"]) if (here.get(part)) to.searchParams.set(part, here.get(part) ?? "");
  link.href = to.href;
}
