/** Small helpers for drawing in SVG: elements, colours, text that fits. */

const space = "http://www.w3.org/2000/svg";

/**
 * @param {string} name @param {Record<string, string | number | undefined>} [attributes] @param {(Node | string)[]} [children]
 * @returns {SVGElement}
 */
export function el(name, attributes = {}, children = []) {
  const out = document.createElementNS(space, name);
  for (const [key, value] of Object.entries(attributes)) {
    if (value === undefined) continue;
    out.setAttribute(key, typeof value === "number" ? String(Math.round(value * 100) / 100) : value);
  }
  out.append(...children);
  return out;
}

const tones = ["good", "fair", "poor", "grave", "plain"];

/** The colour that a name of the model stands for. @param {string} name */
export function colour(name) {
  if (name.startsWith("#")) return name;
  return tones.includes(name) ? `var(--t-${name})` : `var(--${name})`;
}

/** A lighter tone of a colour, for what is past or has not ended. @param {string} fill as colour() gives it */
export const faded = (fill) => `color-mix(in srgb, ${fill} 38%, var(--paper))`;

/** Relative luminance, by WCAG 2.2. @param {number[]} rgb */
const luminance = (rgb) => rgb.map((v) => v / 255).map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)).reduce((sum, v, i) => sum + v * [0.2126, 0.7152, 0.0722][i], 0);

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

/** What text on a colour is written in, so that its contrast is 4.5 at least: ink or paper, else black or white, of which one always does. @param {string} fill as colour() gives it */
export function legible(fill) {
  const ground = luminance(numbers(fill));
  return ["var(--ink)", "var(--paper)", "#000000", "#ffffff"].find((c) => {
    const l = luminance(numbers(c));
    return (Math.max(l, ground) + 0.05) / (Math.min(l, ground) + 0.05) >= 4.5;
  }) ?? "var(--ink)";
}

const pen = /** @type {CanvasRenderingContext2D} */ (document.createElement("canvas").getContext("2d"));
/** @type {Map<string, number>} */
const widths = new Map();

// Widths that were measured before the type had arrived are not its own.
void document.fonts?.ready.then(() => widths.clear());

/** How wide a text is. @param {string} s @param {number} [size] @param {number} [weight] */
export function wide(s, size = 12, weight = 400) {
  const key = `${weight} ${size} ${s}`;
  let w = widths.get(key);
  if (w === undefined) {
    face ||= getComputedStyle(document.body).fontFamily;
    pen.font = `${weight} ${size}px ${face}`;
    w = pen.measureText(s.replace(/\d/g, "0")).width; // figures are tabular
    if (widths.size > 20000) widths.clear();
    widths.set(key, w);
  }
  return w;
}

/** Shortens a text to a width; the full one stays in its title. @param {string} s @param {number} room @param {number} [size] @param {number} [weight] */
export function shorten(s, room, size = 12, weight = 400) {
  if (wide(s, size, weight) <= room) return s;
  const letters = [...s];
  let low = 0, high = letters.length;
  while (low < high) {
    const mid = (low + high + 1) >> 1;
    if (wide(`${letters.slice(0, mid).join("")}…`, size, weight) <= room) low = mid;
    else high = mid - 1;
  }
  return low ? `${letters.slice(0, low).join("").trimEnd()}…` : "";
}

/** Breaks a text into at most two lines that fit, or returns null. @param {string} s @param {number} room @param {number} [size] */
export function lines(s, room, size = 12) {
  if (wide(s, size) <= room) return [s];
  const words = s.split(" ");
  for (let i = words.length - 1; i > 0; i--) {
    const first = words.slice(0, i).join(" "), second = words.slice(i).join(" ");
    if (wide(first, size) <= room && wide(second, size) <= room) return [first, second];
  }
  return null;
}

/**
 * A text. @param {number} x @param {number} y @param {string} s
 * @param {{anchor?: string, size?: number, weight?: number, fill?: string, full?: string, turn?: number, halo?: boolean, label?: boolean}} [o] label: it is what its author put on a mark
 */
export function text(x, y, s, o = {}) {
  const t = el("text", { x, y, "text-anchor": o.anchor, "font-size": o.size ?? 12, "font-weight": o.weight, fill: o.fill ?? "var(--soft)", transform: o.turn ? `rotate(${o.turn} ${Math.round(x * 100) / 100} ${Math.round(y * 100) / 100})` : undefined, class: o.halo ? "halo" : undefined }, [s]);
  if (o.label) t.dataset.label = "";
  if (o.full && o.full !== s) t.append(el("title", {}, [o.full]));
  return t;
}

/** Keeps texts from lying on each other: a text is placed only where it is free. */
export class Room {
  /** @param {number} width @param {number} height */
  constructor(width, height) {
    this.width = width;
    this.height = height;
    /** @type {[number, number, number, number][]} */
    this.taken = [];
  }

  /** @param {number} x @param {number} y @param {number} w @param {number} h */
  take(x, y, w, h) {
    if (x < 0 || y < 0 || x + w > this.width || y + h > this.height) return false;
    for (const [a, b, c, d] of this.taken) if (x < a + c && a < x + w && y < b + d && b < y + h) return false;
    this.taken.push([x, y, w, h]);
    return true;
  }
}

const round = (/** @type {number} */ v) => Math.round(v * 10) / 10;

/** Very many marks of a colour as one path, which a browser draws within a frame. */
export class Batch {
  constructor() {
    /** @type {Map<string, string[]>} */
    this.parts = new Map();
  }

  /** @param {string} fill @param {import("../draw.js").Box} b */
  add(fill, b) {
    const d = b.round ? `M${round(b.x)} ${round(b.y + b.height / 2)}a${round(b.width / 2)} ${round(b.width / 2)} 0 1 0 ${round(b.width)} 0a${round(b.width / 2)} ${round(b.width / 2)} 0 1 0 ${round(-b.width)} 0z` : `M${round(b.x)} ${round(b.y)}h${round(b.width)}v${round(b.height)}h${round(-b.width)}z`;
    const list = this.parts.get(fill);
    if (list) list.push(d);
    else this.parts.set(fill, [d]);
  }

  /** @param {string} name @returns {SVGElement[]} */
  paths(name) {
    return [...this.parts].map(([fill, d]) => el("path", { d: d.join(""), fill, class: name }));
  }
}

/** Signs tell series apart where colour does not: on paper and for some eyes. */
/* A float, a sail, a buoy, a kedge, a hull, a plank, a hitch. */
export const signs = ["M-4 0a4 4 0 1 0 8 0a4 4 0 1 0-8 0z", "M-3 4.500V-5.500L5 4.500z", "M0-5 4.500 0 0 5-4.500 0z", "M-1.500-4.500h3v3h3v3h-3v3h-3v-3h-3v-3h3z", "M-5-3.500H5L2.500 4h-5z", "M-3.500-3.500h7v7h-7z", "M-4-4 0-1.500 4-4 1.500 0 4 4 0 1.500-4 4-1.500 0z"];

/** The sign of a series, filled or hollow. @param {number} i @param {string} fill @param {number} [scale] */
export function sign(i, fill, scale = 1) {
  const hollow = Math.floor(i / signs.length) % 2 === 1;
  return el("path", { d: signs[i % signs.length], fill: hollow ? "var(--paper)" : fill, stroke: fill, "stroke-width": 1.5, transform: scale === 1 ? undefined : `scale(${scale})` });
}
