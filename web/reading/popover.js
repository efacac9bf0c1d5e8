/**
 * A popover under a phrase, with what a filter may be set to: dates, values, numbers, yes or no.
 */
import { fill, post } from "../page/api.js";
import { month } from "./month.js";

/** What a tick of a list of values stands for. @param {HTMLInputElement} tick */
const key = (tick) => (tick.dataset.none ? "none" : tick.dataset.notShown ? "not shown" : `=${tick.value}`);

/** The value of a tick as a setting holds it. @param {HTMLInputElement} tick @returns {any} */
const value = (tick) => (tick.dataset.none ? { none: true } : tick.dataset.notShown ? { not_shown: true } : tick.value);

/**
 * Opens the popover that an address answers with under a button, and lets its controls set what
 * they are for; without set it is only read.
 * @param {HTMLElement} box @param {HTMLElement} button @param {string} address
 * @param {() => Record<string, string>} fields @param {(value: any) => void} [set]
 */
export async function popover(box, button, address, fields, set) {
  let html = "";
  try {
    html = await post(address, fields());
  } catch (error) {
    html = Object.assign(document.createElement("p"), { textContent: /** @type {Error} */ (error).message }).outerHTML;
  }
  unfold(box, button, html);
  if (set) control(box, address, fields, set);
  else box.tabIndex = -1, box.focus();
}

/** Opens a popover that is there already under a button. @param {HTMLElement} box @param {HTMLElement} button @param {string} html */
export function unfold(box, button, html) {
  fill(box, html);
  box.onclick = box.onsubmit = box.onchange = box.onkeydown = null;
  if (!box.matches(":popover-open")) box.showPopover();
  under(box, button);
  closing(box, () => { if (nowhere()) button.focus(); });
}

/** Whether the keyboard is nowhere, or on what is no longer seen. */
export function nowhere() {
  const at = document.activeElement;
  return !at || at === document.body || !at.checkVisibility();
}

/** Does something once a popover that is open, or about to be, has closed. @param {HTMLElement} box @param {() => void} act */
export function closing(box, act) {
  box.addEventListener("toggle", function closed(e) {
    if (/** @type {ToggleEvent} */ (e).newState !== "closed") return;
    box.removeEventListener("toggle", closed);
    act();
  });
}

/** Puts a popover under a button, as large as it is now. @param {HTMLElement} box @param {HTMLElement} button */
export function under(box, button) {
  const at = button.getBoundingClientRect();
  box.style.left = `${Math.max(4, Math.min(at.left + scrollX, innerWidth + scrollX - box.offsetWidth - 8))}px`;
  // Under the button, or above it where there is no room beneath.
  const above = at.bottom + box.offsetHeight + 4 > innerHeight && at.top > box.offsetHeight + 4;
  box.style.top = `${(above ? at.top - box.offsetHeight - 4 : at.bottom + 4) + scrollY}px`;
}

/** @param {HTMLElement} box @param {string} address @param {() => Record<string, string>} fields @param {(value: any) => void} take */
function control(box, address, fields, take) {
  const set = (/** @type {any} */ value) => {
    box.hidePopover();
    take(value);
  };
  /** Dates as they are written. @param {HTMLFormElement} form @param {string} text */
  const typed = async (form, text) => {
    try {
      set((await post(address, { ...fields(), typed: text }, { json: true })).set);
    } catch (error) {
      const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
      wrong.textContent = /** @type {Error} */ (error).message;
      wrong.hidden = false;
    }
  };
  /** @type {Map<string, any>} */
  const chosen = new Map();
  const ticks = () => /** @type {HTMLInputElement[]} */ ([...box.querySelectorAll(".ticks input")]);
  const collect = () => ticks().forEach((tick) => (tick.checked ? chosen.set(key(tick), value(tick)) : chosen.delete(key(tick))));
  collect();
  box.onclick = (e) => {
    const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
    if (!button) return;
    if (button.dataset.set) set(JSON.parse(button.dataset.set));
    if (button.dataset.viewer) set({ viewer: button.dataset.viewer });
    // Where one value at a time may be chosen, choosing is setting.
    if (button.matches(".ticks button")) set([value(/** @type {any} */ (button))]);
    if ("take" in button.dataset) {
      collect();
      set(chosen.size ? [...chosen.values()] : null);
    }
  };
  box.onsubmit = (e) => {
    e.preventDefault();
    const form = new FormData(/** @type {HTMLFormElement} */ (e.target));
    if (form.has("typed")) return void typed(/** @type {HTMLFormElement} */ (e.target), String(form.get("typed")));
    if (form.has("setting")) return set(form.get("setting"));
    if (form.has("last")) return set({ last: Number(form.get("last")), unit: form.get("unit") });
    // What begins after its end is said where it is typed.
    const [low, high] = /** @type {HTMLInputElement[]} */ ([...box.querySelectorAll("input[type=number]")]);
    high.setCustomValidity(low.value && high.value && Number(low.value) > Number(high.value) ? "This is less than where it begins." : "");
    if (!high.reportValidity()) return;
    const ends = [...form].filter(([, value]) => String(value).trim());
    set(ends.length ? Object.fromEntries(ends.map(([name, value]) => [name, String(value).trim()])) : null);
  };
  const sheet = /** @type {HTMLElement | null} */ (box.querySelector("#month"));
  if (sheet) month(sheet, (name) => post(address, { ...fields(), only: "month", month: name }), set);
  const find = /** @type {HTMLInputElement | null} */ (box.querySelector("#value-find"));
  find?.addEventListener("input", async () => {
    collect();
    fill(/** @type {HTMLElement} */ (box.querySelector("#value-list")), await post(address, { ...fields(), find: find.value, only: "list" }));
    ticks().forEach((tick) => { tick.checked = chosen.has(key(tick)); });
  });
  /** @type {HTMLElement | null} */ (box.querySelector("input, button"))?.focus();
}
