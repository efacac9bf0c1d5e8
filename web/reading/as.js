/** A dashboard within the page that shows it as somebody else sees it. */
import { who } from "../page/api.js";
import { Sheet } from "./sheet.js";

const root = /** @type {HTMLElement} */ (document.getElementById("reading"));
if (root.dataset.bearer) who.bearer = root.dataset.bearer;
new Sheet(root, { dashboard: root.dataset.dashboard ?? "", page: "", draft: root.dataset.draft, open: () => {} }).open().catch((error) => {
  root.textContent = error.message;
});
