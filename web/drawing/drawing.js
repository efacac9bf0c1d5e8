/**
 * Draws the server's drawing models: of a model, a size and a pen it makes shapes, and nothing else. Pages
 * make elements of them, the server files. Nothing here computes or formats a number.
 */
import { axes } from "./axes.js";
import { funnel, gauge, heat, scatter } from "./fields.js";
import { pies, radar } from "./round.js";
import { Batch, Shape, el } from "./shapes.js";

/**
 * @typedef {{size: number, from: number, x?: number, r?: number, low?: number, high?: number, label: string, text?: string, more?: string[], tone?: string, exact: string, base?: string, run?: {key: object, was: string}, then?: object}} Mark
 * @typedef {{name: string, colour: string, as: string, role?: string, second?: boolean, stack?: boolean, measure: number, of: number, key?: object, words?: string, total?: string, off?: boolean, marks: (Mark | null)[]}} Series
 * @typedef {{label: string, full: string, short?: string, rank?: number, partial?: boolean, ahead?: boolean, key: object, words: string, colour?: string, off?: boolean, rate?: string}} Group
 * @typedef {{low: number, high: number, log?: boolean, hidden?: boolean, no_grid?: boolean, title?: string, ticks: {at: number, label: string}[]}} Axis
 * @typedef {{kind: string, style?: string, groups: Group[], series: Series[], axis: Axis, second?: Axis, across?: Axis, category: {title?: string, hidden?: boolean, time?: boolean}, lines?: {at: number, label: string, second?: boolean}[], bands?: {from: number, to: number, name: string, tone: string}[], legend: string, key?: {tone: string, label: string}[], ramp?: {tones: string[], low: string, high: string}, bar_width?: number, bridge?: boolean, total?: string, columns?: number, captions?: string, silent?: boolean, summary: string, hints?: string[], reference: Record<string, any>}} Drawing
 * @typedef {{series: number, group: number}} Place
 * @typedef {{x: number, y: number, width: number, height: number, fill: string, round?: boolean}} Box where a mark lies that is drawn together with others
 * @typedef {{root: Shape, width: number, height: number, hidden: Set<number>, pen: import("./pen.js").Pen, batch: Batch | null, put: (series: number, group: number, x: number, y: number, mark: Shape | Box) => void}} Stage
 * @typedef {{root: Shape, places: Map<string, {x: number, y: number, shape?: Shape, box?: Box}>}} Drawn what a drawing became: where each mark lies, by the numbers of its series and group
 */

/** @type {Record<string, (m: Drawing, st: Stage) => void>} */
const forms = { pie: pies, donut: pies, radar, "heat map": heat, "risk grid": heat, scatter, funnel, gauge };

/** Whether a drawing has a category axis with columns, bars or lines on it. @param {Drawing} m */
export const axial = (m) => !forms[m.kind];

/** Whether a drawing has so many marks that they are drawn together. @param {Drawing} m */
export const together = (m) => m.groups.length * m.series.length > 500;

/** Whether the legend names groups, as that of a pie does; others name series. @param {Drawing} m */
export const round = (m) => m.kind === "pie" || m.kind === "donut";

/** What the legend of a drawing hides as it comes: numbers of series, or of slices of a pie. @param {Drawing} m */
export const off = (m) => new Set((round(m) ? m.groups : m.series).flatMap((of, i) => (of.off ? [i] : [])));

/** @param {Drawing} m @param {number} width @param {number} height in pixels @param {import("./pen.js").Pen} pen @param {Set<number>} [hidden] series, or slices of a pie, that the legend hides @returns {Drawn} */
export function draw(m, width, height, pen, hidden = off(m)) {
  const root = el("g"), batch = together(m) ? new Batch() : null;
  /** @type {Drawn["places"]} */
  const places = new Map();
  (forms[m.kind] ?? axes)(m, {
    root, width, height, hidden, pen, batch,
    put: (series, group, x, y, mark) => {
      if (!(mark instanceof Shape)) batch?.add(mark.fill, mark);
      places.set(`${series} ${group}`, mark instanceof Shape ? { x, y, shape: mark } : { x, y, box: mark });
    },
  });
  if (batch) root.append(...batch.paths("mark together"));
  return { root, places };
}
