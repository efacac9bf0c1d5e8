/** Makes elements of a page of what is drawn, in the page's own letters and colours. */
import { Pen, shipped } from "../drawing/pen.js";

/** @typedef {import("../drawing/shapes.js").Shape} Shape */

const space = "http://www.w3.org/2000/svg";

/** @param {Shape} shape @param {Map<Shape, SVGElement>} [made] which element each shape became @returns {SVGElement} */
export function elements(shape, made) {
  const out = document.createElementNS(space, shape.name);
  for (const [key, value] of Object.entries(shape.attributes)) out.setAttribute(key, String(value));
  for (const child of shape.children) out.append(typeof child === "string" ? child : elements(child, made));
  made?.set(shape, out);
  return out;
}

const probe = document.createElement("i");
probe.hidden = true;
/** @type {Map<string, number[]>} */
let known = new Map();
/** What a page's letters are. */
let face = "";

/** The look of the page is another from now on: what was known of colours and widths is so no more. */
export function relook() {
  known = new Map();
  widths.clear();
  face = "";
}
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", relook);

/** What a colour of a style sheet is in numbers. @param {string} c */
function numbers(c) {
  let rgb = known.get(c);
  if (!rgb) {
    if (!probe.isConnected) document.body.append(probe);
    probe.style.color = c;
    const is = getComputedStyle(probe).color, parts = (is.match(/[\d.]+/g) ?? []).slice(0, 3).map(Number);
    rgb = is.startsWith("color(") ? parts.map((v) => v * 255) : parts;
    known.set(c, rgb);
  }
  return rgb;
}

const canvas = /** @type {CanvasRenderingContext2D} */ (document.createElement("canvas").getContext("2d"));
/** What was measured: texts with letters that do not ship, or in other letters. @type {Map<string, number>} */
const widths = new Map();

// Widths that were measured before the type had arrived are not its own.
void document.fonts?.ready.then(() => widths.clear());

/** How wide a text is. @param {string} s @param {number} size @param {number} weight */
function measure(s, size, weight) {
  face ||= getComputedStyle(document.body).fontFamily;
  const own = /^"?Figtree\b/.test(face) ? shipped(s, size, weight) : undefined;
  if (own !== undefined) return own;
  const key = `${weight} ${size} ${s}`;
  let w = widths.get(key);
  if (w === undefined) {
    canvas.font = `${weight} ${size}px ${face}`;
    w = canvas.measureText(s.replace(/\d/g, "0")).width; // figures are tabular
    if (widths.size > 20000) widths.clear();
    widths.set(key, w);
  }
  return w;
}

/** What pages draw with. */
export const pen = new Pen(measure, numbers);
