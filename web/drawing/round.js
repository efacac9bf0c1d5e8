/** Pies, donuts and radars. */
import { Room, colour, el, sign, text } from "./shapes.js";
import { scale } from "./axes.js";

/** @typedef {import("./drawing.js").Drawing} Drawing */
/** @typedef {import("./drawing.js").Stage} Stage */

const turn = Math.PI * 2;
/** @param {number} x @param {number} y @param {number} r @param {number} a an angle from the top, clockwise */
const point = (x, y, r, a) => [x + r * Math.sin(a), y - r * Math.cos(a)];
const path = (/** @type {number[]} */ p) => p.map((n) => n.toFixed(2)).join(" ");

/** What is written at a slice, and the name within it. @typedef {{g: number, mid: number, label: string, name: string}} Label */

/** What follows the name in a label. @param {Label} l */
const figure = (l) => (l.label.startsWith(l.name) ? l.label.slice(l.name.length) : "");

/** A label shortened to a width: its name gives way, its figure stays. @param {Label} l @param {number} space @param {import("./pen.js").Pen} pen @param {number} [size] */
function keeping(l, space, pen, size) {
  const rest = figure(l), name = rest ? pen.shorten(l.name, space - pen.wide(rest, size), size) : "";
  return name ? name + rest : pen.shorten(l.label, space, size);
}

/** @param {Drawing} m @param {Stage} st */
export function pies(m, st) {
  const { pen } = st;
  const shown = m.series.length, alone = shown === 1;
  const across = Math.min(m.columns ?? 0, shown) || Math.max(1, Math.min(shown, Math.round(Math.sqrt((shown * st.width) / Math.max(1, st.height)))));
  const down = Math.ceil(shown / across), w = st.width / across, h = st.height / down;
  m.series.forEach((s, i) => {
    const x0 = (i % across) * w, y0 = Math.floor(i / across) * h, caption = alone || m.captions === "none" ? "" : m.captions === "total" && s.total ? `${s.name}: ${s.total}` : s.name, named = caption ? 18 : 0;
    const beside = alone && w > 300;
    const most = Math.max(0, ...s.marks.map((mark) => pen.wide(mark?.text ?? "")));
    const r = Math.max(12, Math.min((h - named) / 2 - (alone && !beside ? 22 : 8), beside ? Math.max(w * 0.22, w / 2 - most - 34) : w / 2 - 10));
    const cx = x0 + w / 2, cy = y0 + named + (h - named) / 2, inner = m.kind === "donut" ? r * 0.58 : 0;
    if (caption) st.root.append(text(cx, y0 + 13, pen.shorten(caption, w - 8, 12, 600), { anchor: "middle", weight: 600, fill: "var(--ink)", full: caption }));
    let a = 0;
    /** @type {Label[]} */
    const labels = [];
    const room = new Room(st.width, st.height);
    const whole = s.marks.reduce((sum, mark, g) => sum + (mark && !st.hidden.has(g) ? mark.size : 0), 0);
    s.marks.forEach((mark, g) => {
      if (!mark || st.hidden.has(g) || whole === 0) return;
      const b = a + (mark.size / whole) * turn, large = b - a > Math.PI ? 1 : 0;
      const d = b - a > turn - 1e-6
        ? `M${path(point(cx, cy, r, 0))}A${r} ${r} 0 1 1 ${path(point(cx, cy, r, Math.PI))}A${r} ${r} 0 1 1 ${path(point(cx, cy, r, 0))}${inner ? `M${path(point(cx, cy, inner, 0))}A${inner} ${inner} 0 1 0 ${path(point(cx, cy, inner, Math.PI))}A${inner} ${inner} 0 1 0 ${path(point(cx, cy, inner, 0))}` : ""}Z`
        : `M${path(point(cx, cy, inner, a))}L${path(point(cx, cy, r, a))}A${r} ${r} 0 ${large} 1 ${path(point(cx, cy, r, b))}L${path(point(cx, cy, inner, b))}${inner ? `A${inner} ${inner} 0 ${large} 0 ${path(point(cx, cy, inner, a))}` : ""}Z`;
      const slice = el("path", { d, class: "mark slice", "fill-rule": "evenodd", fill: colour(mark.tone ?? m.groups[g].colour ?? "c1") });
      st.root.append(slice);
      const mid = (a + b) / 2, [px, py] = point(cx, cy, (r + inner) / 2, mid);
      st.put(i, g, px, py, slice);
      if (mark.text) labels.push({ g, mid, label: mark.text, name: m.groups[g].label });
      a = b;
    });
    if (inner && alone && m.total) {
      const size = Math.max(11, Math.min(22, (inner * 1.7 * 16) / Math.max(1, pen.wide(m.total, 16, 600))));
      const tw = pen.wide(m.total, size, 600);
      if (tw < inner * 1.9 && room.take(cx - tw / 2, cy - size / 2, tw, size)) st.root.append(text(cx, cy + size * 0.35, m.total, { anchor: "middle", size, weight: 600, fill: "var(--ink)" }));
    } else if (!alone && inner && s.total && m.captions !== "total" && pen.wide(s.total, 12, 600) < inner * 1.8) {
      st.root.append(text(cx, cy + 4, s.total, { anchor: "middle", weight: 600, fill: "var(--ink)" }));
    }
    if (beside) sideTexts(st, labels, cx, cy, r, x0, w, y0, h);
    else if (alone) {
      for (const l of labels) {
        const [px, py] = point(cx, cy, r + 10, l.mid), label = keeping(l, w * 0.45, pen, 11), tw = pen.wide(label, 11);
        const x = Math.min(Math.max(px - tw / 2, 2), st.width - tw - 2);
        if (room.take(x, py - 8, tw, 14)) st.root.append(text(x, py + 4, label, { size: 11, fill: "var(--ink)", halo: true, full: l.label, label: true }));
      }
    }
  });
}

/** Labels beside a pie, pushed apart, each with a thin line to its slice; in two lines where one is too short. @param {Stage} st @param {Label[]} labels @param {number} cx @param {number} cy @param {number} r @param {number} x0 @param {number} w @param {number} y0 @param {number} h */
function sideTexts(st, labels, cx, cy, r, x0, w, y0, h) {
  const { pen } = st;
  const space = w / 2 - r - 24, two = labels.some((l) => pen.wide(l.label) > space && figure(l)), tall = two ? 29 : 15;
  for (const right of [true, false]) {
    const side = labels.filter((l) => l.mid < Math.PI === right).map((l) => ({ ...l, y: point(cx, cy, r + 12, l.mid)[1] })).sort((a, b) => a.y - b.y);
    const most = Math.floor((h - 4) / tall);
    while (side.length > most) side.splice(side.indexOf(side.reduce((a, b) => (a.g > b.g ? a : b))), 1);
    let low = y0 + 10;
    for (const l of side) {
      l.y = Math.max(l.y, low);
      low = l.y + tall;
    }
    let high = y0 + h - (two ? 18 : 4);
    for (const l of [...side].reverse()) {
      l.y = Math.min(l.y, high);
      high = l.y - tall;
    }
    for (const l of side) {
      const [px, py] = point(cx, cy, r + 2, l.mid), x = right ? cx + r + 18 : cx - r - 18, anchor = right ? "start" : "end";
      st.root.append(el("path", { d: `M${path([px, py])}L${path([x - (right ? 4 : -4), l.y - 4])}`, class: "leader" }));
      st.root.append(text(x, l.y, two && figure(l) ? pen.shorten(l.name, space) : keeping(l, space, pen), { anchor, fill: "var(--ink)", full: l.label, label: true }));
      if (two && figure(l)) st.root.append(text(x, l.y + 14, figure(l).replace(/^, /, ""), { anchor }));
    }
  }
}

/** @param {Drawing} m @param {Stage} st */
export function radar(m, st) {
  const { pen } = st;
  const n = m.groups.length, cx = st.width / 2, cy = st.height / 2 + 2, most = Math.max(...m.groups.map((g) => pen.wide(g.label)));
  const r = Math.max(20, Math.min(st.height / 2 - 22, st.width / 2 - Math.min(most + 12, st.width * 0.28)));
  const at = scale(m.axis, 0, r), angle = (/** @type {number} */ g) => (g / n) * turn;
  const grid = el("g", { class: "grid-lines" }), room = new Room(st.width, st.height);
  for (const t of m.axis.ticks) {
    grid.append(el("path", { d: `M${m.groups.map((_, g) => path(point(cx, cy, at(t.at), angle(g)))).join("L")}Z`, class: "web" }));
    if (r > 60 && t.at > 0) grid.append(text(cx + 4, cy - at(t.at) + 4, t.label, { size: 11, halo: true }));
  }
  m.groups.forEach((group, g) => {
    const [x, y] = point(cx, cy, r, angle(g)), [lx, ly] = point(cx, cy, r + 10, angle(g)), side = Math.sin(angle(g));
    const anchor = Math.abs(side) < 0.15 ? "middle" : side > 0 ? "start" : "end";
    const space = anchor === "middle" ? st.width * 0.5 : anchor === "start" ? st.width - lx - 2 : lx - 2;
    const label = pen.shorten(group.label, space), w = pen.wide(label);
    grid.append(el("line", { class: "line", x1: cx, y1: cy, x2: x, y2: y }));
    if (room.take(anchor === "middle" ? lx - w / 2 : anchor === "end" ? lx - w : lx, ly - 7, w, 13)) grid.append(text(lx, ly + 4, label, { anchor, fill: "var(--ink)", full: group.full }));
  });
  st.root.append(grid);
  m.series.forEach((s, i) => {
    if (st.hidden.has(i)) return;
    const corners = s.marks.map((mark, g) => (mark ? point(cx, cy, at(mark.size), angle(g)) : null));
    const d = `M${corners.map((p) => path(p ?? [cx, cy])).join("L")}Z`;
    st.root.append(el("path", { d, fill: colour(s.colour), stroke: colour(s.colour), class: "polygon" }));
    corners.forEach((p, g) => {
      if (!p) return;
      const mark = el("g", { class: "mark point", transform: `translate(${path(p)})` }, [el("circle", { r: 8, class: "hit" }), sign(i, colour(s.colour))]);
      st.root.append(mark);
      st.put(i, g, p[0], p[1], mark);
    });
  });
}
