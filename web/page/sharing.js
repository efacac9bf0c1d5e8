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

/** A field in which people and teams are found by a few letters. @param {HTMLInputElement} field */
function finding(field) {
  const form = /** @type {HTMLFormElement} */ (field.closest("form"));
  const list = /** @type {HTMLElement} */ (form.querySelector("[role=listbox]"));
  const whom = /** @type {HTMLInputElement} */ (form.elements.namedItem("whom"));
  const go = /** @type {HTMLButtonElement} */ (form.querySelector("button.main"));
  let asked = 0, at = -1;
  const options = () => /** @type {HTMLElement[]} */ ([...list.children].filter((o) => o.getAttribute("role") === "option"));
  const close = () => {
    list.hidden = true;
    field.setAttribute("aria-expanded", "false");
    field.removeAttribute("aria-activedescendant");
    at = -1;
  };
  /** @param {HTMLElement} option */
  const choose = (option) => {
    field.value = option.textContent ?? "";
    whom.value = option.dataset.value ?? "";
    go.disabled = false;
    close();
  };
  /** @param {number} to */
  const mark = (to) => {
    const all = options();
    if (!all.length) return;
    at = (to + all.length) % all.length;
    all.forEach((o, i) => o.setAttribute("aria-selected", String(i === at)));
    field.setAttribute("aria-activedescendant", all[at].id);
  };
  const find = async () => {
    const mine = ++asked;
    [whom.value, go.disabled] = ["", true];
    if (!field.value.trim()) return close();
    const response = await fetch(`/sharing/find?${new URLSearchParams({ find: field.value })}`, { headers: { ...headers(), Accept: "application/json" } });
    if (mine !== asked || !response.ok) return;
    /** @type {{Value: string, Label: string}[]} */
    const found = (await response.json()).filter((/** @type {{Value: string}} */ w) => form.dataset.whom !== "person" || w.Value.startsWith("person/"));
    list.replaceChildren(...found.map((w, i) => {
      const option = document.createElement("li");
      [option.id, option.textContent] = [`${list.id}-${i}`, w.Label];
      option.dataset.value = w.Value;
      option.setAttribute("role", "option");
      return option;
    }));
    if (!found.length) {
      const none = document.createElement("li");
      none.textContent = "Nobody is called so.";
      none.setAttribute("role", "option");
      none.setAttribute("aria-disabled", "true");
      list.append(none);
    }
    list.hidden = false;
    field.setAttribute("aria-expanded", "true");
    if (found.length) mark(0);
  };
  field.addEventListener("input", find);
  field.addEventListener("keydown", (event) => {
    if (event.key === "ArrowDown") mark(at + 1);
    else if (event.key === "ArrowUp") mark(at - 1);
    else if (event.key === "Enter" && !list.hidden && at >= 0) choose(options()[at]);
    else if (event.key === "Escape" && !list.hidden) close();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  list.addEventListener("mousedown", (event) => {
    event.preventDefault(); // the field stays the one that is typed into
    const option = /** @type {HTMLElement} */ (event.target).closest("[role=option]");
    if (option instanceof HTMLElement && option.dataset.value) choose(option);
  });
  field.addEventListener("blur", close);
}

document.addEventListener("focusin", (event) => {
  const field = event.target;
  if (field instanceof HTMLInputElement && field.matches("[data-whom] [role=combobox]") && !field.dataset.finds) {
    field.dataset.finds = "yes";
    finding(field);
  }
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
