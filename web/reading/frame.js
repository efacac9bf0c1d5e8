/**
 * A dashboard within a host app's page. It takes the viewer pass only from the page
 * that holds the frame, and only if that page is of a registered origin; it keeps the
 * bearer token in memory and stores nothing.
 */
import { Trouble, who } from "../page/api.js";
import { Sheet } from "./sheet.js";

const root = /** @type {HTMLElement} */ (document.getElementById("reading"));
const { dashboard = "", app = "", page = "", widget = "", view = "" } = root.dataset;
/** @type {string[]} */
const origins = JSON.parse(root.dataset.origins ?? "[]");

/** Tells the host page; only a page of a registered origin hears it. @param {object} message */
function tell(message) {
  for (const origin of origins) parent.postMessage({ eskadel: 1, ...message }, origin);
}

/** @type {((pass: {pass: string, origin: string}) => void) | null} */
let waiting = null;

addEventListener("message", (e) => {
  if (e.source !== parent || !origins.includes(e.origin) || e.data?.eskadel !== 1) return;
  if (e.data.say === "pass") waiting?.({ pass: String(e.data.pass), origin: e.origin });
  if (e.data.say === "no-pass") refuse(`${new URL(e.origin).host} gave no viewer pass: ${e.data.words}`);
});

/** @param {string} words */
function refuse(words) {
  const p = document.createElement("p");
  p.className = "wrong frame-problem";
  p.setAttribute("role", "alert");
  p.textContent = words;
  root.replaceChildren(p);
}

/** @type {Promise<void> | null} */
let renewing = null;

/** The first sheet, and how it is looked at, which came with the bearer token. */
let first = "";
/** @type {any} */
let state = null;

/** Asks the host page for a viewer pass and exchanges it. @param {boolean} [begin] with the first sheet */
function renew(begin) {
  renewing ??= (async () => {
    const got = await new Promise((resolve) => {
      waiting = resolve;
      tell({ say: "pass-wanted" });
    });
    const response = await fetch(`/embed/${encodeURIComponent(app)}/${encodeURIComponent(dashboard)}/session`, {
      method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(begin ? { ...got, page, widget, view } : got),
    });
    const answer = await response.json();
    if (!response.ok) throw new Trouble(answer.detail, response.status, answer.place);
    who.bearer = answer.bearer;
    first = answer.sheet ?? "";
    state = answer.state ?? null;
    const left = new Date(answer.expires).getTime() - Date.now();
    setTimeout(() => void renew().catch(() => {}), Math.max(1000, left - Math.min(30000, left / 4)));
  })().finally(() => { renewing = null; });
  return renewing;
}

who.renew = () => renew();
new ResizeObserver(() => tell({ say: "height", height: Math.ceil(document.documentElement.getBoundingClientRect().height) })).observe(document.documentElement);

(async () => {
  try {
    await renew(true);
    await new Sheet(root, { dashboard, page: state?.page ?? page, widget, state, view: (name) => tell({ say: "view", view: name }), open: (address) => tell({ say: "record", address }) }).open(first);
    tell({ say: "shown" });
  } catch (error) {
    refuse(/** @type {Error} */ (error).message);
  }
})();
