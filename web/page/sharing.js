/** Who may do what with something: in a dialog over the page, or as a page of its own. */
import { fill, headers, post, say, Trouble } from "./api.js";

/** @param {Element} place @param {string} html */
function show(place, html) {
  fill(place, html);
  const said = place.querySelector(".said")?.textContent;
  if (said) say(said);
}

/** @param {HTMLFormElement} form */
async function send(form) {
  const place = form.closest("[data-sharing-place]");
  if (!place) return;
  try {
    show(place, await post(form.getAttribute("action") ?? "", new FormData(form)));
  } catch (error) {
    const words = error instanceof Trouble ? error.message : "Something went wrong here.";
    const said = place.querySelector(".said");
    if (said) [said.textContent, said.className] = [words, "said wrong"];
    say(words);
  }
  /** @type {HTMLElement | null} */ (place.querySelector("#sharing-find"))?.focus();
}

/** Somebody who is found. @typedef {{Value: string, Label: string}} Found */

/**
 * Offers people and teams under a field, as somebody types there.
 * @param {HTMLInputElement} field
 * @param {{wanted: () => string, fits: (one: Found) => boolean, choose: (one: Found) => void, none: boolean}} how wanted are the letters to find by, none tells that nobody is found
 */
function offering(field, how) {
  const list = /** @type {HTMLElement} */ (document.getElementById(field.getAttribute("aria-controls") ?? ""));
  /** @type {Found[]} */
  let found = [];
  let asked = 0, at = -1;
  const close = () => {
    list.hidden = true;
    field.setAttribute("aria-expanded", "false");
    field.removeAttribute("aria-activedescendant");
    at = -1;
  };
  /** @param {number} which */
  const choose = (which) => {
    how.choose(found[which]);
    close();
  };
  /** @param {number} to */
  const mark = (to) => {
    if (!found.length) return;
    at = (to + found.length) % found.length;
    [...list.children].forEach((o, i) => o.setAttribute("aria-selected", String(i === at)));
    field.setAttribute("aria-activedescendant", list.children[at].id);
  };
  const find = async () => {
    const mine = ++asked, wanted = how.wanted();
    if (!wanted) return close();
    const response = await fetch(`/sharing/find?${new URLSearchParams({ find: wanted })}`, { headers: { ...headers(), Accept: "application/json" } });
    if (mine !== asked || !response.ok) return;
    found = (await response.json()).filter(how.fits);
    if (!found.length && !how.none) return close();
    list.replaceChildren(...(found.length ? found.map((w) => w.Label) : ["Nobody is called so."]).map((label, i) => {
      const option = document.createElement("li");
      [option.id, option.textContent] = [`${list.id}-${i}`, label];
      option.setAttribute("role", "option");
      if (!found.length) option.setAttribute("aria-disabled", "true");
      return option;
    }));
    list.hidden = false;
    field.setAttribute("aria-expanded", "true");
    mark(0);
  };
  field.addEventListener("input", find);
  field.addEventListener("keydown", (event) => {
    if (list.hidden) return;
    if (event.key === "ArrowDown") mark(at + 1);
    else if (event.key === "ArrowUp") mark(at - 1);
    else if (event.key === "Enter" && at >= 0) choose(at);
    else if (event.key === "Escape") close();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  list.addEventListener("mousedown", (event) => {
    event.preventDefault(); // the field stays the one that is typed into
    const which = [...list.children].indexOf(/** @type {HTMLElement} */ (event.target));
    if (found[which]) choose(which);
  });
  field.addEventListener("blur", close);
}

/** A field in which somebody is chosen. @param {HTMLInputElement} field */
function finding(field) {
  const form = /** @type {HTMLFormElement} */ (field.closest("form"));
  const whom = /** @type {HTMLInputElement} */ (form.elements.namedItem("whom")), go = /** @type {HTMLButtonElement} */ (form.querySelector("button.main"));
  offering(field, {
    wanted: () => {
      [whom.value, go.disabled] = ["", true];
      return field.value.trim();
    },
    fits: (w) => form.dataset.whom !== "person" || w.Value.startsWith("person/"),
    choose: (w) => [field.value, whom.value, go.disabled] = [w.Label, w.Value, false],
    none: true,
  });
}

/** A line in which people are mentioned by name. @param {HTMLInputElement} field */
function mentioning(field) {
  const typed = () => /@([^@]{1,40})$/.exec(field.value.slice(0, field.selectionStart ?? 0));
  offering(field, {
    wanted: () => typed()?.[1].trim() ?? "",
    fits: (w) => w.Value.startsWith("person/"),
    choose: (w) => {
      const from = typed()?.index ?? 0, to = field.selectionStart ?? 0;
      field.setRangeText(`@${w.Label} `, from, to, "end");
    },
    none: false,
  });
}

document.addEventListener("focusin", (event) => {
  const field = event.target;
  if (!(field instanceof HTMLInputElement) || field.dataset.finds) return;
  const find = field.matches("[data-whom] [role=combobox]") ? finding : field.matches("[data-mentions]") ? mentioning : null;
  find?.(field);
  if (find) field.dataset.finds = "yes";
});
document.addEventListener("submit", (event) => {
  const form = /** @type {HTMLFormElement} */ (event.target);
  if (!form.closest("[data-sharing-place]")) return;
  event.preventDefault();
  send(form);
});
document.addEventListener("change", (event) => {
  const form = /** @type {HTMLElement} */ (event.target).closest("form");
  if (form?.matches("[data-at-once]")) send(/** @type {HTMLFormElement} */ (form));
});
document.addEventListener("click", async (event) => {
  const target = /** @type {HTMLElement} */ (event.target);
  if (target.closest("[data-sharing-close]")) return target.closest("dialog")?.close();
  const again = target.closest("a[data-sharing-again]"), place = again?.closest("[data-sharing-place]");
  if (again instanceof HTMLAnchorElement && place) {
    event.preventDefault();
    return show(place, await (await fetch(again.href, { headers: { ...headers(), "HX-Request": "true" } })).text());
  }
  const link = target.closest("a[data-sharing]");
  if (!(link instanceof HTMLAnchorElement) || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const dialog = document.createElement("dialog");
  dialog.className = "paper sharing-dialog";
  const within = document.createElement("div"), foot = document.createElement("p");
  within.dataset.sharingPlace = "";
  fill(foot, '<button type="button" class="main" data-sharing-close>Done</button>');
  dialog.append(within, foot);
  dialog.addEventListener("close", () => {
    const seen = /** @type {HTMLSelectElement | null} */ (within.querySelector("#sharing-seen"));
    const detail = { seen: seen?.value, others: within.querySelectorAll(".rows li").length };
    dialog.remove();
    link.focus();
    if (seen) link.dispatchEvent(new CustomEvent("sharing-done", { bubbles: true, detail }));
  });
  document.body.append(dialog);
  const address = new URL(link.href);
  if (link.hasAttribute("data-with-view")) for (const part of ["page", "view"]) { // as it is looked at now
    const value = new URL(location.href).searchParams.get(part);
    if (value) address.searchParams.set(part, value);
  }
  const response = await fetch(address, { headers: { ...headers(), "HX-Request": "true" } });
  show(within, await response.text());
  dialog.showModal();
});
