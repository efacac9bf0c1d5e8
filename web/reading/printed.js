/** The page that the server's browser prints: pages of a dashboard below each other, and word of when all of it is there. */
import { who } from "../page/api.js";
import { Sheet } from "./sheet.js";

const place = /** @type {HTMLElement} */ (document.getElementById("printed")), told = document.documentElement.dataset;
const { dashboard = "", draft, bearer = "", state = "null", pages = "[]", some = "null" } = place.dataset;
who.bearer = bearer;
delete place.dataset.bearer;

const sheets = /** @type {string[]} */ (JSON.parse(pages)).map((page) => {
  const root = document.createElement("section");
  root.className = "reading printed-page";
  place.append(root);
  return new Sheet(root, { dashboard, page, draft, state: JSON.parse(state), paper: true, only: JSON.parse(some) ?? undefined, following: () => ({ start: () => {}, stop: () => {} }) });
});
const count = () => {
  const all = sheets.flatMap((sheet) => [...sheet.widgets.values()]);
  told.of = String(all.length);
  told.done = String(all.filter((w) => !w.place.hasAttribute("aria-busy")).length);
};
const counting = setInterval(count, 100);
const drawn = () => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
try {
  for (const sheet of sheets) await sheet.open();
} catch (error) {
  told.wrong = /** @type {Error} */ (error).message;
}
await document.fonts.ready;
await Promise.all([...document.images].map((image) => {
  image.loading = "eager"; // nobody scrolls to it
  return image.decode().catch(() => image.style.visibility = "hidden"); // the host app's are not to be had here
}));
await drawn();
await drawn(); // what takes its size from what stands around it
clearInterval(counting);
count();
told.ready = "yes";
