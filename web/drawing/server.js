/** What the server calls: a picture, or a drawing alone, of models as JSON, as shapes as JSON. */
import { draw } from "./drawing.js";
import { Pen } from "./pen.js";
import { estimated, picture } from "./picture.js";

/** @param {string} of @param {number} width @param {number} height @param {(c: string) => number[]} rgb */
export const pictured = (of, width, height, rgb) => JSON.stringify(picture(JSON.parse(of), width, height, new Pen(estimated, rgb)));

/** @param {string} model @param {number} width @param {number} height @param {(c: string) => number[]} rgb */
export function drawn(model, width, height, rgb) {
  const { root, places } = draw(JSON.parse(model), width, height, new Pen(estimated, rgb));
  return JSON.stringify({ root, places: Object.fromEntries([...places].map(([name, { x, y }]) => [name, [x, y]])) });
}
