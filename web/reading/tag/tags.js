/** The tags, known to the browser once however often a page loads them. */
import { Dashboard } from "./dashboard.js";
import { Tag } from "./element.js";
import { Figure } from "./figure.js";

/** @param {string} home where Eskadel is */
export function define(home) {
  if (customElements.get("eskadel-dashboard")) return;
  Tag.home = home;
  customElements.define("eskadel-dashboard", Dashboard);
  customElements.define("eskadel-figure", Figure);
}
