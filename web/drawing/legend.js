/** The legend of a drawing: what each sign and colour stands for. */
import { round, together } from "./drawing.js";
import { colour, el, faded, sign } from "./shapes.js";

/** A line of a legend: its sign, drawn around nought within 6 pixels, and which series or slice it can hide. @typedef {{shape: import("./shapes.js").Shape, name: string, hides: number | null}} Entry */

/** @param {string} c */
const block = (c) => el("path", { d: "M-6 6-2-6h8V6z", fill: colour(c) });

/** @param {import("./drawing.js").Drawing} m @returns {Entry[]} */
export function legend(m) {
  /** @type {Entry[]} */
  const out = [];
  if (m.legend === "none") return out;
  /** @param {Entry["shape"]} shape @param {string} name @param {number | null} hides */
  const add = (shape, name, hides) => void out.push({ shape, name, hides });
  for (const step of m.key ?? []) add(block(step.tone), step.label, null);
  if (round(m)) {
    if (m.legend !== "top" || m.series.length > 1) m.groups.forEach((g, i) => add(block(g.colour ?? "c1"), g.label, i));
    return out;
  }
  if (m.kind === "heat map" || m.kind === "risk grid" || m.kind === "funnel" || m.kind === "gauge") return out;
    m.series.forEach((s, i) => {
    if (s.role === "target" && s.as === "ghost") add(el("path", { d: "M-4 6v-10h6v10z", class: "planned", stroke: colour(s.colour) }), s.name, null);
    else if (s.as === "tick") add(el("path", { d: "M-6-1.500h12v3h-12z", fill: colour(s.colour) }), s.name, null);
    else if (s.role === "before" && s.as === "ghost") add(el("path", { d: "M-4 6v-10h6v10z", class: "ghost", fill: faded(colour(s.colour)) }), s.name, null);
    else if (s.role) add(el("path", { d: "M-6 0h12", class: `curve ${s.role}`, stroke: colour(s.colour) }), s.name, null);
    else if (s.as === "point" && (together(m) || s.marks.some((mark) => mark?.r !== undefined))) add(el("circle", { r: 5, fill: colour(s.colour) }), s.name, i); // as they are drawn
    else add(s.as === "line" || s.as === "point" || s.as === "polygon" ? sign(i, colour(s.colour)) : block(s.colour), s.name, i);
  });
  if (m.series.some((s) => s.as === "column" && s.marks.some((mark, g) => mark && m.groups[g].partial))) {
    const c = colour(m.series.find((s) => s.as === "column")?.colour ?? "c1");
    add(el("g", {}, [el("rect", { x: -5, y: -5, width: 10, height: 11, class: "partial", fill: faded(c) }), el("path", { d: "M-5-5V6H5V-5", class: "open", stroke: c })]), "not ended yet", null);
  }
  return out;
}

/** The strip of colours from the smallest to the largest figure. @param {string[]} tones */
export const strip = (tones) => tones.map((tone, i) => el("rect", { x: i * 12, width: 12, height: 12, fill: colour(tone) }));
