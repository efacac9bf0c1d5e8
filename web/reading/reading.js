/** The reading page of Eskadel's own. */
import { Sheet } from "./sheet.js";

const root = /** @type {HTMLElement} */ (document.getElementById("reading"));
const sheet = new Sheet(root, { dashboard: root.dataset.dashboard ?? "", page: root.dataset.page ?? "", draft: root.dataset.draft, state: root.dataset.state ? JSON.parse(root.dataset.state) : null });
sheet.open().catch((error) => {
  root.textContent = error.message;
});
