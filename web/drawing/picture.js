/** A chart as a picture that stands by itself: with its title, its legend and what is said of it. */
import { draw, off } from "./drawing.js";
import { legend, strip } from "./legend.js";
import { Pen, shipped } from "./pen.js";
import { el, text } from "./shapes.js";

/**
 * What a picture says. Below the chart stand its caption and lines about what it was made from.
 * @typedef {{drawing: import("./drawing.js").Drawing, title?: string, subtitle?: string, caption?: string, below?: string[], clear?: boolean}} Picture
 */

const edge = 16;

/** @param {Picture} of @param {number} width @param {number} height @param {Pen} pen */
export function picture(of, width, height, pen) {
  const root = el("svg", { width, height, viewBox: `0 0 ${width} ${height}` });
  if (!of.clear) root.append(el("rect", { width, height, fill: "var(--paper)" }));
  const room = width - 2 * edge;
  let top = edge, bottom = height - edge;
  /** @param {string | undefined} s @param {number} size @param {number} weight @param {string} fill @param {number} most */
  const above = (s, size, weight, fill, most) => {
    for (const line of pen.paragraph(s ?? "", room, most, size, weight)) {
      top += size;
      root.append(text(edge, top, line, { size, weight, fill }));
      top += size * 0.4;
    }
  };
  above(of.title, 18, 600, "var(--ink)", 2);
  above(of.subtitle, 13, 400, "var(--soft)", 2);
  // From the foot upwards: the last line first.
  const below = [{ s: of.caption ?? "", size: 12 }, ...(of.below ?? []).map((s) => ({ s, size: 11 }))].flatMap(({ s, size }) => pen.paragraph(s, room, 3, size).map((line) => ({ line, size })));
  for (const { line, size } of below.reverse()) {
    if (bottom - top < 120) break;
    root.append(text(edge, bottom - 2, line, { size }));
    bottom -= size * 1.4;
  }
  const m = of.drawing, hidden = off(m), box = { left: edge, right: width - edge };
  const entries = legend(m).filter((e) => e.hides === null || !hidden.has(e.hides));
  if (entries.length || m.ramp) {
    const beside = m.legend === "right" && width > 420, at = el("g");
    const wide = beside ? Math.min(180, width * 0.3) : room, most = beside ? wide - 18 : Math.min(room - 18, 360);
    let x = 0, y = 0;
    /** @param {number} w @param {number} size */
    const place = (w, size) => {
      if (x > 0 && (beside || x + w > wide)) {
        x = 0;
        y += size;
      }
      const here = x;
      x += w + 16;
      return here;
    };
    if (m.ramp) {
      const { tones, low, high } = m.ramp, length = tones.length * 12, start = place(pen.wide(low, 13) + length + pen.wide(high, 13) + 16, 20);
      at.append(text(start, y + 13, low, { size: 13 }), el("g", { transform: `translate(${start + pen.wide(low, 13) + 8} ${y + 3})` }, strip(tones)), text(start + pen.wide(low, 13) + length + 16, y + 13, high, { size: 13 }));
    }
    let left = 0;
    for (const e of entries) {
      const name = pen.shorten(e.name, most, 13), start = place(18 + pen.wide(name, 13), 20);
      if (y > (bottom - top) * (beside ? 1 : 0.34)) {
        left++;
        continue;
      }
      at.append(el("g", { transform: `translate(${start + 6} ${y + 9})` }, [e.shape]), text(start + 18, y + 13, name, { size: 13, fill: "var(--ink)" }));
    }
    if (left) at.append(text(0, y + 13, `and ${left} more`, { size: 13 }));
    const tall = y + 22;
    if (beside) {
      box.right -= wide + 12;
      at.set("transform", `translate(${box.right + 12} ${top + 6})`);
    } else if (m.legend === "bottom") {
      bottom -= tall;
      at.set("transform", `translate(${edge} ${bottom + 4})`);
    } else {
      at.set("transform", `translate(${edge} ${top + 4})`);
      top += tall + 4;
    }
    root.append(at);
  }
  const drawn = draw(m, box.right - box.left, Math.max(60, bottom - top - 10), pen, hidden);
  root.append(el("g", { transform: `translate(${box.left} ${top + 4})` }, [drawn.root]));
  return root;
}

/** How wide a text is where nothing can be measured: letters that do not ship are taken for as wide as others of their kind. @param {string} s @param {number} size @param {number} weight */
export function estimated(s, size, weight) {
  let sum = 0;
  for (const letter of s) sum += shipped(letter, size, weight) ?? size * (/** @type {number} */ (letter.codePointAt(0)) > 0x1100 ? 1 : 0.62);
  return sum;
}
