/** What drawings are made of: shapes as data, which a page makes elements of and a file is written from. */

/**
 * How shapes of a class look, wherever they are drawn. What a style sheet adds is what happens to them in a
 * page: pointed at, chosen, faded. "a b" is for what is of both classes.
 * @type {Record<string, Record<string, string | number>>}
 */
const looks = {
  line: { stroke: "var(--hairline)", "stroke-width": 1, "shape-rendering": "crispEdges" },
  web: { stroke: "var(--hairline)", "stroke-width": 1, fill: "none" },
  base: { stroke: "var(--ink)", "stroke-width": 1, "shape-rendering": "crispEdges" },
  open: { fill: "none", "stroke-width": 1.5 },
  hit: { fill: "transparent" },
  aim: { "stroke-width": 3 },
  level: { "stroke-width": 1.5, "stroke-dasharray": "3 2" },
  curve: { fill: "none", "stroke-width": 2, "stroke-linejoin": "round" },
  "curve before": { "stroke-width": 1.5, "stroke-dasharray": "5 3", opacity: 0.8 },
  "curve target": { "stroke-width": 2.5, "stroke-dasharray": "6 2" },
  "curve trend": { "stroke-width": 1.5, "stroke-dasharray": "1 3", "stroke-linecap": "round" },
  "curve forecast": { "stroke-dasharray": "7 4" },
  planned: { fill: "none", "stroke-width": 1.5 },
  dot: { "stroke-width": 1.5 },
  interval: { opacity: 0.14 },
  area: { opacity: 0.22 },
  "area full": { opacity: 0.85, stroke: "var(--paper)", "stroke-width": 1 },
  rule: { stroke: "var(--ink)", "stroke-width": 1, "stroke-dasharray": "6 3" },
  slice: { stroke: "var(--paper)", "stroke-width": 1.5 },
  leader: { stroke: "var(--soft)", "stroke-width": 0.8, fill: "none" },
  polygon: { "fill-opacity": 0.1, "stroke-width": 2 },
  bubble: { "fill-opacity": 0.55, "stroke-width": 1 },
  between: { opacity: 0.16 },
  halo: { "paint-order": "stroke", stroke: "var(--paper)", "stroke-width": 3, "stroke-linejoin": "round" },
};

/** @type {Map<string, Record<string, string | number>>} */
const looked = new Map();

/** How shapes of all these classes look. @param {string} classes */
function look(classes) {
  let out = looked.get(classes);
  if (!out) {
    const has = classes.split(" ");
    out = Object.assign({}, ...Object.entries(looks).filter(([of]) => of.split(" ").every((c) => has.includes(c))).map(([, l]) => l));
    looked.set(classes, /** @type {Record<string, string | number>} */ (out));
  }
  return out;
}

/** An element of SVG, as data. */
export class Shape {
  /** @param {string} name @param {Record<string, string | number | undefined>} attributes @param {(Shape | string)[]} children */
  constructor(name, attributes, children) {
    this.name = name;
    /** @type {Record<string, string | number>} */
    this.attributes = {};
    this.children = children;
    for (const [key, value] of Object.entries(attributes)) this.set(key, value);
    if (typeof attributes.class === "string") for (const [key, value] of Object.entries(look(attributes.class) ?? {})) this.set(key, value);
  }

  /** @param {string} key @param {string | number | undefined} value */
  set(key, value) {
    if (value !== undefined) this.attributes[key] = typeof value === "number" ? Math.round(value * 100) / 100 : value;
  }

  /** @param {(Shape | string)[]} more */
  append(...more) {
    for (const child of more) this.children.push(child);
  }
}

/** @param {string} name @param {Record<string, string | number | undefined>} [attributes] @param {(Shape | string)[]} [children] */
export const el = (name, attributes = {}, children = []) => new Shape(name, attributes, children);

const tones = ["good", "fair", "poor", "grave", "plain"];

/** The colour that a name of the model stands for, as style sheets write it. @param {string} name */
export function colour(name) {
  if (name.startsWith("#")) return name;
  return tones.includes(name) ? `var(--t-${name})` : `var(--${name})`;
}

/** A lighter tone of a colour, for what is past or has not ended. @param {string} fill as colour() gives it */
export const faded = (fill) => `color-mix(in srgb, ${fill} 38%, var(--paper))`;

/**
 * A text. @param {number} x @param {number} y @param {string} s
 * @param {{anchor?: string, size?: number, weight?: number, fill?: string, full?: string, turn?: number, halo?: boolean, label?: boolean}} [o] label: it is what its author put on a mark
 */
export function text(x, y, s, o = {}) {
  const t = el("text", { x, y, "text-anchor": o.anchor, "font-size": o.size ?? 12, "font-weight": o.weight, fill: o.fill ?? "var(--soft)", transform: o.turn ? `rotate(${o.turn} ${Math.round(x * 100) / 100} ${Math.round(y * 100) / 100})` : undefined, class: o.halo ? "halo" : undefined, "data-label": o.label ? "" : undefined }, [s]);
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

  /** @param {string} fill @param {import("./drawing.js").Box} b */
  add(fill, b) {
    const d = b.round ? `M${round(b.x)} ${round(b.y + b.height / 2)}a${round(b.width / 2)} ${round(b.width / 2)} 0 1 0 ${round(b.width)} 0a${round(b.width / 2)} ${round(b.width / 2)} 0 1 0 ${round(-b.width)} 0z` : `M${round(b.x)} ${round(b.y)}h${round(b.width)}v${round(b.height)}h${round(-b.width)}z`;
    const list = this.parts.get(fill);
    if (list) list.push(d);
    else this.parts.set(fill, [d]);
  }

  /** @param {string} name */
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
