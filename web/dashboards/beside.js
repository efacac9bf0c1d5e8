/** Two versions of a dashboard beside each other, in small: what differs stands out. */
import { fill, post } from "../page/api.js";
import { Widget } from "../reading/widget.js";

const beside = /** @type {HTMLElement} */ (document.querySelector(".beside"));
const name = beside.dataset.dashboard ?? "";

/** Draws a page of a version. @param {HTMLElement} side @param {any} page */
function lay(side, page) {
  const sheet = /** @type {HTMLElement} */ (side.querySelector(".side-sheet")), differ = JSON.parse(side.dataset.differ ?? "[]");
  side.querySelectorAll("nav button").forEach((tab) => {
    if (tab.textContent === page.title) tab.setAttribute("aria-current", "page");
    else tab.removeAttribute("aria-current");
  });
  sheet.replaceChildren(...page.widgets.map((/** @type {any} */ w) => {
    const place = document.createElement("section");
    place.className = "widget";
    place.classList.toggle("differs", differ.includes(w.id));
    place.innerHTML = '<div class="widget-head"><h2></h2></div><div class="widget-body"></div>';
    const [x, y, wide, high] = w.at;
    place.style.gridColumn = `${x + 1} / span ${wide}`;
    place.style.gridRow = `${y + 1} / span ${high}`;
    void draw(side, new Widget(place, { choose: () => {}, records: () => {} }), w.id);
    return place;
  }));
}

/** @param {HTMLElement} side @param {Widget} widget @param {string} id */
async function draw(side, widget, id) {
  const version = side.dataset.version ?? "0";
  try {
    const a = await post(`/view/${encodeURIComponent(name)}/widgets/${encodeURIComponent(id)}`, version === "0" ? { draft: "yes" } : { version }, { json: true });
    if (a.form === "text") fill(widget.body, a.html);
    else widget.told(a);
  } catch (error) {
    widget.body.textContent = /** @type {Error} */ (error).message;
  }
}

const sides = /** @type {HTMLElement[]} */ ([...beside.querySelectorAll(".side")]);
for (const side of sides) {
  const pages = JSON.parse(side.dataset.pages ?? "[]");
  /** @type {HTMLElement} */ (side.querySelector("nav")).replaceChildren(...pages.map((/** @type {any} */ p) => {
    const tab = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: p.title });
    // A page is turned to on both sides, where the other has it.
    tab.addEventListener("click", () => sides.forEach((other) => {
      const there = JSON.parse(other.dataset.pages ?? "[]").find((/** @type {any} */ q) => q.title === p.title);
      if (there) lay(other, there);
    }));
    return tab;
  }));
  if (pages[0]) lay(side, pages[0]);
}
