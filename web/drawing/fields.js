/** Heat maps, risk grids, scatters, funnels and gauges. */
import { Room, Shape, colour, el, sign, text } from "./shapes.js";
import { calendar, scale, slope, thin } from "./axes.js";

/** @typedef {import("./drawing.js").Drawing} Drawing */
/** @typedef {import("./drawing.js").Stage} Stage */

/** @param {Drawing} m @param {Stage} st */
export function heat(m, st) {
  const { pen } = st;
  const risk = m.kind === "risk grid", rows = m.series.length, n = Math.max(1, m.groups.length);
  const left = Math.min(Math.max(...m.series.map((s) => pen.wide(s.name))) + 10, Math.max(40, st.width * 0.3));
  const top = m.axis.title ? 18 : 4, most = Math.max(...m.groups.map((g) => pen.wide(g.label)));
  const w = (st.width - left - 2) / n;
  const broken = m.groups.map((g) => pen.lines(g.label, w - 4));
  const turned = !broken.every(Boolean) && !m.category.time && w < most;
  const long = Math.min(most, 110, Math.max(44, st.height * 0.4));
  const only = m.category.time ? calendar(m, w, 12, st.pen) : null, step = turned ? Math.max(1, Math.ceil(14 / w)) : 1;
  const low = (m.category.hidden ? 2 : turned ? long * 0.62 + 14 : broken.some((b) => (b?.length ?? 0) > 1) ? 32 : 18) + (m.category.title ? 15 : 0);
  const h = Math.max(4, (st.height - top - low) / rows);
  if (m.axis.title) st.root.append(text(2, 12, pen.shorten(m.axis.title, st.width / 2), { full: m.axis.title }));
  const every = Math.max(1, Math.ceil(13 / h));
  m.series.forEach((s, i) => {
    const y = top + (risk ? rows - 1 - i : i) * h;
    if (i % every === 0) st.root.append(text(left - 6, y + h / 2 + 4, pen.shorten(s.name, left - 8), { anchor: "end", fill: "var(--ink)", full: s.name }));
    s.marks.forEach((mark, g) => {
      if (!mark) return;
      const gap = w > 8 && h > 8 ? 1 : 0, x = left + g * w;
      const r = { x: x + gap, y: y + gap, width: Math.max(0.5, w - 2 * gap), height: Math.max(0.5, h - 2 * gap), fill: colour(mark.tone ?? "plain") };
      const cell = st.batch && !mark.text ? r : el("rect", { ...r, class: "mark square" });
      if (cell instanceof Shape) st.root.append(cell);
      st.put(i, g, x + w / 2, y + h / 2, cell);
      if (mark.text && pen.wide(mark.text) < w - 4 && h > 14) st.root.append(text(x + w / 2, y + h / 2 + 4, mark.text, { anchor: "middle", fill: pen.legible(r.fill), weight: risk ? 600 : undefined, label: true }));
    });
  });
  if (!m.category.hidden) {
    m.groups.forEach((group, g) => {
      if (g % step || only && !only.has(g)) return;
      const x = left + (g + 0.5) * w, y = top + rows * h + 14;
      if (turned) st.root.append(text(x + 3, y, pen.shorten(group.label, Math.min(long, x / slope)), { anchor: "end", turn: -38, full: group.full }));
      else (step > 1 || only ? [group.label] : broken[g] ?? [pen.shorten(group.label, w - 4)]).forEach((part, k) => st.root.append(text(Math.min(x, st.width - pen.wide(part) / 2), y + 13 * k, part, { anchor: "middle", full: group.full })));
    });
  }
  if (m.category.title) st.root.append(text(left + (st.width - left) / 2, st.height - 3, pen.shorten(m.category.title, st.width - left), { anchor: "middle" }));
}

/** @param {Drawing} m @param {Stage} st */
export function scatter(m, st) {
  const { pen } = st;
  const across = /** @type {import("./drawing.js").Axis} */ (m.across), ys = thin(m.axis.ticks, st.height, 26);
  const left = Math.max(...ys.map((t) => pen.wide(t.label))) + 10, top = 20, bottom = st.height - (across.title ? 34 : 20), right = st.width - Math.max(14, ...across.ticks.slice(-1).map((t) => pen.wide(t.label) / 2 + 3));
  const xs = thin(across.ticks, right - left, 60), x = scale(across, left, right), y = scale(m.axis, bottom, top);
  const named = new Room(st.width, st.height), grid = el("g", { class: "grid-lines" });
  for (const t of ys) grid.append(el("line", { class: "line", x1: left, x2: right, y1: y(t.at), y2: y(t.at) }), text(left - 6, y(t.at) + 4, t.label, { anchor: "end" }));
  for (const t of xs) grid.append(el("line", { class: "line", x1: x(t.at), x2: x(t.at), y1: top, y2: bottom }), text(x(t.at), bottom + 15, t.label, { anchor: "middle" }));
  if (m.axis.title) grid.append(text(2, 11, pen.shorten(m.axis.title, st.width - 4), { full: m.axis.title }));
  if (across.title) grid.append(text(right, st.height - 3, pen.shorten(across.title, right - left), { anchor: "end", full: across.title }));
  st.root.append(grid);
  for (const t of ys) named.take(left - 8 - pen.wide(t.label), y(t.at) - 8, pen.wide(t.label) + 2, 14);
  for (const t of xs) named.take(x(t.at) - pen.wide(t.label) / 2, bottom + 3, pen.wide(t.label), 14);
  named.take(0, 0, pen.wide(m.axis.title ?? ""), 14);
  const most = Math.max(8, Math.min(28, Math.min(st.width, st.height) / 14)), texts = el("g");
  for (const line of m.lines ?? []) {
    st.root.append(el("line", { class: "rule", x1: left, x2: right, y1: y(line.at), y2: y(line.at) }));
    named.take(right - pen.wide(line.label), y(line.at) - 15, pen.wide(line.label), 14);
    texts.append(text(right, y(line.at) - 4, line.label, { anchor: "end", fill: "var(--ink)", halo: true }));
  }
  const many = m.groups.length * m.series.length > 300;
  // Large ones lie below small ones; no name lies on any of them.
  const all = m.series.flatMap((s, i) => (st.hidden.has(i) ? [] : s.marks.map((mark, g) => ({ mark, i, g, s })))).filter((p) => p.mark).sort((a, b) => (b.mark?.r ?? 0) - (a.mark?.r ?? 0));
  if (!st.batch) {
    for (const { mark } of all) {
      const r = mark?.r === undefined ? 4 : Math.max(2, most * Math.sqrt(mark.r));
      if (mark) named.taken.push([x(mark.x ?? 0) - r * 0.8, y(mark.size) - r * 0.8, r * 1.6, r * 1.6]);
    }
  }
  for (const { mark, i, g, s } of all) {
    if (!mark) continue;
    const px = x(mark.x ?? 0), py = y(mark.size), r = mark.r === undefined ? 0 : Math.max(2, most * Math.sqrt(mark.r));
    if (st.batch) {
      const half = r || 2.5;
      st.put(i, g, px, py, { x: px - half, y: py - half, width: 2 * half, height: 2 * half, fill: colour(s.colour), round: true });
      continue;
    }
    const shape = el("g", { class: "mark point", transform: `translate(${px.toFixed(1)} ${py.toFixed(1)})` });
    if (r) shape.append(el("circle", { r, class: "bubble", fill: colour(s.colour), stroke: colour(s.colour) }));
    else shape.append(sign(i, colour(s.colour), many ? 0.6 : 1));
    st.root.append(shape);
    st.put(i, g, px, py, shape);
    const w = pen.wide(mark.text ?? "", 11);
    if (mark.text) {
      for (const [tx, ty] of [[px + (r || 5) + 3, py + 4], [px - (r || 5) - 3 - w, py + 4], [px - w / 2, py - (r || 5) - 4], [px - w / 2, py + (r || 5) + 12]]) {
        if (!named.take(tx, ty - 10, w, 13)) continue;
        texts.append(text(tx, ty, mark.text, { size: 11, fill: "var(--ink)", halo: true, label: true }));
        break;
      }
    }
  }
  st.root.append(texts);
}

/** Stages below each other; the rate at which records go on stands between them. @param {Drawing} m @param {Stage} st */
export function funnel(m, st) {
  const { pen } = st;
  const s = m.series[0], n = m.groups.length, rated = m.groups.some((g) => g.rate);
  const each = (st.height - 4) / n, gap = rated && each > 34 ? 15 : Math.min(6, each * 0.2), h = Math.max(4, each - gap);
  const most = Math.max(1e-9, ...s.marks.map((mark) => mark?.size ?? 0));
  const left = Math.min(Math.max(...m.groups.map((g) => pen.wide(g.label, 13))) + 12, st.width * 0.36);
  const value = Math.max(...s.marks.map((mark) => pen.wide(mark?.label ?? "", 13, 600))) + 10, room = Math.max(20, st.width - left - value - (rated && gap < 15 ? 56 : 0));
  s.marks.forEach((mark, g) => {
    if (!mark) return;
    const y = 2 + g * each, w = Math.max(mark.size > 0 ? 1.5 : 0, (mark.size / most) * room);
    const next = s.marks[g + 1], to = next ? Math.max(next.size > 0 ? 1.5 : 0, (next.size / most) * room) : w;
    const bar = el("rect", { x: left, y, width: w, height: h, class: "mark", fill: colour(mark.tone ?? s.colour) });
    if (next && gap >= 4) st.root.append(el("path", { d: `M${left} ${y + h}H${left + w}L${left + to} ${y + each}H${left}Z`, fill: colour(s.colour), class: "between" }));
    st.root.append(bar, text(left - 8, y + h / 2 + 4, pen.shorten(m.groups[g].label, left - 10, 13), { anchor: "end", size: 13, fill: "var(--ink)", full: m.groups[g].full }));
    const words = (mark.text ?? "").includes(mark.label) || !mark.text ? mark.label : mark.text.split(", ").pop() ?? mark.label;
    st.root.append(text(left + w + 6, y + h / 2 + 4, words, { size: 13, weight: 600, fill: "var(--ink)", label: true }));
    const rate = m.groups[g].rate;
    if (rate && gap >= 15) st.root.append(text(left + 6, y - 4, `${rate} go on`, { size: 11, halo: true, fill: "var(--ink)" }));
    else if (rate) st.root.append(text(st.width - 2, y + h / 2 + 4, rate, { anchor: "end", size: 12 }));
    st.put(0, g, left + w, y + h / 2, bar);
  });
}

/** One figure on a ruled scale, with its bands. @param {Drawing} m @param {Stage} st */
export function gauge(m, st) {
  const { pen } = st;
  const mark = m.series[0].marks[0], left = 10, right = st.width - 10, x = scale(m.axis, left, right);
  const big = Math.max(11, Math.min(38, st.height * 0.26, ((st.width - 24) * 20) / Math.max(1, pen.wide(m.total ?? "", 20, 600)))), strip = Math.max(8, Math.min(22, st.height * 0.14));
  const y = Math.min(st.height - strip - 32, Math.max(big + 30, st.height * 0.56));
  st.root.append(text(left, big + 2, m.total ?? "", { size: big, weight: 600, fill: "var(--ink)" }));
  const w = pen.wide(m.total ?? "", big, 600);
  if (mark?.text) st.root.append(text(left + w + 10, big + 1, pen.shorten(mark.text, right - left - w - 12, 15, 600), { size: 15, weight: 600, fill: "var(--ink)", full: mark.text }));
  const off = mark && (mark.size < m.axis.low || mark.size > m.axis.high);
  if (off && mark?.more?.length) st.root.append(text(left, big + 20, pen.shorten(mark.more[mark.more.length - 1], right - left), { fill: "var(--warn)" }));
  const bands = m.bands?.length ? m.bands : [{ from: m.axis.low, to: m.axis.high, name: "", tone: "plain" }];
  for (const b of bands) {
    const from = x(b.from), to = x(b.to);
    st.root.append(el("rect", { x: from, y, width: Math.max(0, to - from - 1), height: strip, fill: colour(b.tone), class: "band", "data-finish": "Scale and bands" }));
    if (b.name && pen.wide(b.name, 11) < to - from - 4) st.root.append(text((from + to) / 2, y + strip + 13, b.name, { anchor: "middle", size: 11 }));
  }
  if (mark && !m.bands?.length) st.root.append(el("rect", { x: left, y, width: Math.max(0, x(Math.min(Math.max(mark.size, m.axis.low), m.axis.high)) - left), height: strip, fill: colour(m.series[0].colour) }));
  m.axis.ticks.forEach((t, i) => st.root.append(text(i ? right : left, y + strip + (m.bands?.length ? 27 : 14), t.label, { anchor: i ? "end" : "start", size: 11 })));
  for (const line of m.lines ?? []) {
    const at = x(Math.min(Math.max(line.at, m.axis.low), m.axis.high)), tw = pen.wide(line.label, 11);
    st.root.append(el("line", { class: "mark aim", x1: at, x2: at, y1: y - 4, y2: y + strip + 4, stroke: "var(--ink)" }), text(Math.min(Math.max(at - tw / 2, left + 40), right - tw - 40), y + strip + (m.bands?.length ? 27 : 14), line.label, { size: 11, fill: "var(--ink)" }));
  }
  if (!mark) return;
  const at = x(Math.min(Math.max(mark.size, m.axis.low), m.axis.high));
  const pointer = el("path", { d: `M${at - 8} ${y - 13}h16L${at} ${y - 1}z`, class: "mark", fill: "var(--ink)" });
  st.root.append(pointer);
  st.put(0, 0, at, y - 8, pointer);
}
