/** The tags, known to the browser once however often a page loads them. */
import { Dashboard } from "./dashboard.js";
import { Tag } from "./element.js";
import { Figure } from "./figure.js";

// What pages are told of the tags in eskadel.d.ts is so.
/** @type {new () => import("./eskadel.js").EskadelDashboard} */
const dashboard = Dashboard;
/** @type {new () => import("./eskadel.js").EskadelFigure} */
const figure = Figure;

/** @param {string} home where Eskadel is */
export function define(home) {
  if (customElements.get("eskadel-dashboard")) return;
  Tag.home = home;
  customElements.define("eskadel-dashboard", dashboard);
  customElements.define("eskadel-figure", figure);
}
