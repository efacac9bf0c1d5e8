/** Columns, bars, lines, areas and their combinations. */
import { Room, Shape, colour, el, faded, sign, text } from "./shapes.js";

/** @typedef {import("./drawing.js").Drawing} Drawing */
/** @typedef {import("./drawing.js").Series} Series */
/** @typedef {import("./drawing.js").Stage} Stage */

/** Places a value on an axis. @param {import("./drawing.js").Axis} a @param {number} from @param {number} to */
export function scale(a, from, to) {
  const f = a.log ? Math.log10 : (/** @type {number} */ x) => x;
  const low = f(a.low), high = f(a.high);
  return (/** @type {number} */ v) => from + ((f(Math.max(a.log ? a.low : -Infinity, v)) - low) / (high - low)) * (to - from);
}

/** What a series' marks stand on once some are hidden. @param {Drawing} m @param {Set<number>} hidden */
function standing(m, hidden) {
  /** @type {Map<number, {from: number, size: number}[]>} */
  const out = new Map();
  const up = m.groups.map(() => 0), down = m.groups.map(() => 0);
  m.series.forEach((s, i) => {
    out.set(i, s.marks.map((mark, g) => {
      if (!mark || !s.stack || hidden.size === 0) return { from: mark?.from ?? 0, size: mark?.size ?? 0 };
      const part = mark.size - mark.from, heap = part < 0 ? down : up, from = heap[g];
      if (!hidden.has(i)) heap[g] += part;
      return { from, size: from + part };
    }));
  });
  return out;
}

/** @param {Drawing} m @param {Stage} st */
export function axes(m, st) {
  const flat = m.kind === "bars", n = Math.max(1, m.groups.length);
  const { width, height, root, pen } = st;
  const room = new Room(width, height);
  const small = width < 260 || height < 150, size = small ? 11 : 12;
  // The room that labels take decides where the plot lies.
  const ticks = thin(m.axis.ticks, flat ? width : height, flat ? 64 : 26);
  const valueWidth = m.axis.hidden ? 0 : Math.max(0, ...ticks.map((t) => pen.wide(t.label, size))) + 8;
  const second = m.second && !m.second.hidden ? Math.max(0, ...m.second.ticks.map((t) => pen.wide(t.label, size))) + 8 : 0;
  const hideCategory = m.category.hidden;
  const box = { left: 2, right: width - 4, top: 8, bottom: height - 4 };
  if (m.axis.title && !flat || m.second) box.top += 14;
  /** @type {{lines: string[][], turn: boolean, step: number, tall: number, only?: Set<number>}} */
  let labels = { lines: [], turn: false, step: 1, tall: 0 };
  if (flat) {
    const most = Math.min(Math.max(...m.groups.map((g) => pen.wide(g.label, size))) + 8, Math.max(48, width * 0.36), 200);
    if (!hideCategory) box.left += most;
    if (!m.axis.hidden) box.bottom -= 18;
    if (m.axis.title) box.bottom -= 15;
    box.right -= m.axis.hidden ? 0 : pen.wide(ticks[ticks.length - 1]?.label ?? "", size) / 2;
  } else {
    box.left += valueWidth;
    box.right -= second;
    const slot = (box.right - box.left) / n;
    if (!hideCategory) labels = categories(m, slot, size, box.left, height, pen);
    box.bottom -= labels.tall + (m.category.title ? 16 : 0) + 4;
  }
  // Numbers that stand at the end of bars need room too.
  const marked = m.series.some((s) => s.marks.some((mark) => mark?.text));
  if (marked && flat && !m.series.some((s) => s.stack)) box.right -= Math.max(0, ...m.series.flatMap((s) => s.marks.map((mark) => pen.wide(mark?.text ?? "", size)))) + 6;
  if (marked && !flat) box.top += 14;
  let bare = false; // there is room for the marks only
  if (box.right - box.left < 30 || box.bottom - box.top < 24) {
    Object.assign(box, { left: 2, right: width - 2, top: 4, bottom: height - 4 });
    labels.lines = [];
    bare = true;
  }
  const along = flat ? scale(m.axis, box.left, box.right) : scale(m.axis, box.bottom, box.top);
  const other = m.second ? scale(m.second, box.bottom, box.top) : along;
  const slot = flat ? (box.bottom - box.top) / n : (box.right - box.left) / n;
  const at = (/** @type {number} */ g) => (flat ? box.top : box.left) + slot * (g + 0.5);
  const grid = el("g", { class: "grid-lines" }), values = el("g", { "data-finish": "Value axis" }), seconds = el("g", { "data-finish": "Second axis" }), names = el("g", { "data-finish": "Category axis" });
  for (const t of ticks) {
    const v = along(t.at);
    if (!m.axis.no_grid) grid.append(el("line", { class: "line", ...(flat ? { x1: v, x2: v, y1: box.top, y2: box.bottom } : { x1: box.left, x2: box.right, y1: v, y2: v }) }));
    if (!m.axis.hidden && !bare) values.append(flat ? text(v, box.bottom + 15, t.label, { anchor: "middle", size }) : text(box.left - 6, v + 4, t.label, { anchor: "end", size }));
  }
  if (m.second && !m.second.hidden && !bare) for (const t of thin(m.second.ticks, height, 26)) seconds.append(text(box.right + 6, other(t.at) + 4, t.label, { size }));
  if (m.axis.title && !flat && !bare) values.append(text(2, 11, pen.shorten(m.axis.title, m.second ? width / 2 - 8 : width - 8, size), { size, full: m.axis.title }));
  if (m.axis.title && flat && !bare) values.append(text((box.left + box.right) / 2, height - 3, pen.shorten(m.axis.title, width - 8, size), { anchor: "middle", size, full: m.axis.title }));
  if (m.second?.title && !bare) seconds.append(text(width - 4, 11, pen.shorten(m.second.title, width / 2 - 8, size), { anchor: "end", size, full: m.second.title }));
  const zero = along(Math.min(Math.max(0, m.axis.low), m.axis.high));
  grid.append(flat ? el("line", { class: "base", x1: zero, x2: zero, y1: box.top, y2: box.bottom }) : el("line", { class: "base", x1: box.left, x2: box.right, y1: zero, y2: zero }));
  if (!hideCategory && !bare) names.append(...(flat ? sideLabels(m, box, slot, size, at, pen) : lowerLabels(m, box, labels, size, at, height, pen)));
  if (m.category.title && !flat && !bare) names.append(text((box.left + box.right) / 2, height - 3, pen.shorten(m.category.title, box.right - box.left, size), { anchor: "middle", size }));
  grid.append(values, seconds, names);
  root.append(grid);

  const heaps = standing(m, st.hidden);
  const shown = m.series.map((s, i) => ({ s, i, at: /** @type {{from: number, size: number}[]} */ (heaps.get(i)), on: s.second ? other : along })).filter((x) => !st.hidden.has(x.s.of >= 0 ? x.s.of : x.i));
  const columns = shown.filter((x) => x.s.as === "column" && !x.s.stack), stacked = shown.some((x) => x.s.as === "column" && x.s.stack);
  const area = slot * (m.bar_width ? m.bar_width / 100 : n > 30 ? 0.84 : 0.7);
  const places = columns.length + (stacked ? 1 : 0), each = Math.min(area / Math.max(1, places), m.bar_width ? Infinity : flat ? 30 : 56);
  /** The middle of a series' column within its slot. @param {number} place */
  const off = (place) => (place - (places - 1) / 2) * each;
  const placeOf = new Map(columns.map((x, k) => [x.i, k]));
  // Numbers above columns stand there if there is room for each of them.
  const roomy = flat || !shown.some((x) => !x.s.stack && x.s.as === "column" && x.s.marks.some((mark) => mark?.text && pen.wide(mark.text, size) > slot - 2));
  const layer = { back: el("g"), marks: el("g"), lines: el("g"), over: el("g") };
  root.append(layer.back, layer.marks, layer.lines, layer.over);
  // Lines across have their names first; numbers on marks stand where there is room beside them.
  const ruled = (m.lines ?? []).map((line) => {
    const v = (line.second ? other : along)(line.at), label = pen.shorten(line.label, box.right - box.left, size), w = pen.wide(label, size);
    const x = flat ? Math.min(v + 4, box.right - w) : box.right - w;
    const y = (flat ? [box.top + 12, box.top + 26, box.top + 40] : [v - 4, v + 13, v - 18, v + 27]).find((y) => room.take(x, y - 11, w, 14));
    return { line, v, label, place: y === undefined ? null : { x, y } };
  });
  for (const x of shown) {
    const { s, i } = x;
    if (s.as === "area") layer.back.append(...areas(m, x, at, slot));
    if (s.as === "line" || s.as === "area") layer.lines.append(...curve(m, x, at, st));
    s.marks.forEach((mark, g) => {
      if (!mark) return;
      const from = x.on(x.at[g].from), to = x.on(x.at[g].size), middle = at(g);
      if (s.as === "column" || s.as === "ghost") {
        const ghost = s.as === "ghost", ghosts = shown.some((y) => y.s.as === "ghost"), planned = s.role === "target";
        const place = s.stack || (planned && stacked) ? columns.length : placeOf.get(ghost ? s.of : i) ?? 0;
        // An earlier period stands behind, narrower and to the left.
        const whole = Math.max(1, each - (each > 6 ? 1.5 : 0.4)), thick = whole * (ghosts ? (ghost ? 0.5 : 0.74) : 1);
        const start = middle + off(place) - whole / 2 + (ghosts && !ghost ? whole * 0.26 : 0);
        const length = Math.max(Math.abs(to - from), mark.size === mark.from ? 0 : 0.75);
        const r = flat ? { x: Math.min(from, to), y: start, width: length, height: thick } : { x: start, y: Math.min(from, to), width: thick, height: length };
        const lighter = ghost || !!m.groups[g].partial, plain = colour(mark.tone ?? s.colour), fill = lighter ? faded(plain) : plain, together = st.batch && !ghost;
        const rect = together ? { ...r, fill } : el("rect", planned ? { ...r, class: "mark ghost planned", stroke: plain } : { ...r, class: ghost ? "mark ghost" : `mark${m.groups[g].partial ? " partial" : ""}`, fill });
        if (rect instanceof Shape) (ghost ? layer.back : layer.marks).append(rect);
        if (m.groups[g].partial && !ghost) layer.marks.append(open(r, plain, flat ? (to < from ? "left" : "right") : to > from ? "bottom" : "top"));
        st.put(i, g, flat ? to : middle + off(place), flat ? middle + off(place) : to, rect);
        if (mark.text && !ghost && (roomy || s.stack)) barText(mark.text, r, { flat, up: to > from === flat || to === from, inside: !!s.stack, size, mark, s, room, pen, partial: m.groups[g].partial, into: layer.over, halo: shown.some((y) => y.s.role === "target") });
      } else if (s.as === "tick") {
        const half = Math.max(5, Math.min(slot * 0.48, (each * Math.max(1, places)) / 2 + 4));
        const aim = s.role === "target";
        const tick = el("line", { ...(flat ? { x1: to, x2: to, y1: middle - half, y2: middle + half } : { x1: middle - half, x2: middle + half, y1: to, y2: to }), class: aim ? "mark aim" : "mark level", stroke: colour(s.colour) });
        layer.over.append(tick);
        st.put(i, g, flat ? to : middle, flat ? middle : to, tick);
      } else if (mark.text && room.take(middle - pen.wide(mark.text, size) / 2, to - 18, pen.wide(mark.text, size), 14)) {
        layer.over.append(text(middle, to - 7, mark.text, { anchor: "middle", size, fill: "var(--ink)", halo: true, label: true }));
      }
    });
  }
  for (const { line, v, label, place } of ruled) {
    layer.over.append(el("line", { class: "rule", "data-finish": "Lines", ...(flat ? { x1: v, x2: v, y1: box.top, y2: box.bottom } : { x1: box.left, x2: box.right, y1: v, y2: v }) }));
    if (place) layer.over.append(text(place.x, place.y, label, { size, fill: "var(--ink)", halo: true, full: line.label }));
  }
}

/** Leaves out ticks until those that stay have room. @param {{at: number, label: string}[]} ticks @param {number} length @param {number} each */
export function thin(ticks, length, each) {
  let out = ticks;
  for (let step = 2; out.length > 2 && out.length * each > length; step++) out = ticks.filter((_, i) => i % step === 0);
  return out;
}

/** How far a turned label reaches to the left, as part of its length: the cosine of 38 degrees. */
export const slope = 0.79;

/** Which steps along time are labelled: where units of the calendar begin, as small as have room, and always the last. @param {Drawing} m @param {number} slot @param {number} size @param {import("./pen.js").Pen} pen */
export function calendar(m, slot, size, pen) {
  const last = m.groups.length - 1, all = m.groups.map((_, g) => g);
  const room = (/** @type {number} */ a, /** @type {number} */ b) => (b - a) * slot >= (pen.wide(m.groups[a].label, size) + pen.wide(m.groups[b].label, size)) / 2 + 12;
  const fit = (/** @type {number[]} */ of) => of.every((g, i) => i === 0 || room(of[i - 1], g));
  let picked = all;
  for (let rank = 1; rank < 5 && !fit(picked); rank++) {
    const larger = all.filter((g) => (m.groups[g].rank ?? 0) >= rank);
    if (larger.length < 3) break;
    picked = larger;
  }
  for (let step = 2, of = picked; !fit(picked) && step <= all.length; step++) picked = of.filter((_, i) => (of.length - 1 - i) % step === 0);
  while (picked.length && picked[picked.length - 1] !== last && !room(picked[picked.length - 1], last)) picked = picked.slice(0, -1);
  return new Set([...picked, last]);
}

/** How the labels under the columns stand: in a line, in two, turned, or only some of them. @param {Drawing} m @param {number} slot @param {number} size @param {number} left @param {number} height @param {import("./pen.js").Pen} pen */
function categories(m, slot, size, left, height, pen) {
  const fits = (/** @type {string[]} */ of) => Math.max(...of.map((s) => pen.wide(s, size))) <= slot - 6;
  const plain = (/** @type {string[]} */ of) => ({ lines: of.map((s) => [s]), turn: false, step: 1, tall: 16 });
  let names = m.groups.map((g) => g.label);
  if (fits(names)) return plain(names);
  if (m.category.time) return { ...plain(names), only: calendar(m, slot, size, pen) };
  names = m.groups.map((g) => g.short ?? g.label); // months shorten before they turn
  if (fits(names)) return plain(names);
  const most = Math.max(...names.map((s) => pen.wide(s, size)));
  const broken = names.map((s) => pen.lines(s, slot - 6, size));
  if (broken.every(Boolean)) return { lines: /** @type {string[][]} */ (broken), turn: false, step: 1, tall: 30 };
  const long = Math.min(most, 120, Math.max(44, height * 0.45), Math.max(60, left + slot / 2 + 60)), step = Math.max(1, Math.ceil(15 / slot));
  return { lines: names.map((s) => [pen.shorten(s, long, size)]), turn: true, step, tall: Math.round(long * 0.62) + 14 };
}

/** @param {Drawing} m @param {any} box @param {{lines: string[][], turn: boolean, step: number, only?: Set<number>}} labels @param {number} size @param {(g: number) => number} at @param {number} height @param {import("./pen.js").Pen} pen */
function lowerLabels(m, box, labels, size, at, height, pen) {
  /** @type {Shape[]} */
  const out = [];
  const base = box.bottom + 14;
  let end = -Infinity; // where the label before ends
  labels.lines.forEach((parts, g) => {
    if (g % labels.step || labels.only && !labels.only.has(g)) return;
    if (labels.turn) {
      // A turned label reaches to the left, at most to the edge.
      const s = pen.shorten(parts[0], Math.max(0, (at(g) - 2) / slope), size);
      if (s) out.push(text(at(g) + 3, base - 2, s, { anchor: "end", size, turn: -38, full: m.groups[g].full }));
      return;
    }
    parts.forEach((s, i) => {
      const half = pen.wide(s, size) / 2, x = Math.min(Math.max(at(g), half), Math.max(half, box.right + 4 - half));
      if (parts.length === 1 && x - half < end + 6) return;
      end = x + half;
      if (base + 14 * i <= height) out.push(text(x, base + 14 * i, s, { anchor: "middle", size, full: m.groups[g].full }));
    });
  });
  return out;
}

/** @param {Drawing} m @param {any} box @param {number} slot @param {number} size @param {(g: number) => number} at @param {import("./pen.js").Pen} pen */
function sideLabels(m, box, slot, size, at, pen) {
  const step = Math.max(1, Math.ceil(13 / slot));
  return m.groups.filter((_, g) => g % step === 0).map((group) => text(box.left - 7, at(m.groups.indexOf(group)) + 4, pen.shorten(group.label, box.left - 9, size), { anchor: "end", size, full: group.full, fill: "var(--ink)" }));
}

/** The edges of a bar of a step that is still running: open where it grows. @param {{x: number, y: number, width: number, height: number}} r @param {string} stroke @param {string} side */
function open({ x, y, width, height }, stroke, side) {
  const [left, right, top, bottom] = [x + 0.6, x + width - 0.6, y, y + height];
  const d = { top: `M${left} ${top}V${bottom}H${right}V${top}`, bottom: `M${left} ${bottom}V${top}H${right}V${bottom}`, right: `M${right} ${top}H${left}V${bottom}H${right}`, left: `M${left} ${top}H${right}V${bottom}H${left}` }[side];
  return el("path", { d, class: "open", stroke });
}

/** @param {string} s @param {{x: number, y: number, width: number, height: number}} r @param {any} o */
function barText(s, r, o) {
  const { pen } = o;
  const w = pen.wide(s, o.size);
  if (o.inside) {
    if (w > r.width - 4 || r.height < 15) return;
    o.into.append(text(r.x + r.width / 2, r.y + r.height / 2 + 4, s, { anchor: "middle", size: o.size, fill: o.partial ? "var(--ink)" : pen.legible(colour(o.mark.tone ?? o.s.colour)), label: true }));
    return;
  }
  if (o.flat) {
    const x = o.up ? r.x + r.width + 4 : r.x - 4 - w;
    if (o.room.take(x, r.y + r.height / 2 - 7, w, 14)) o.into.append(text(x, r.y + r.height / 2 + 4, s, { size: o.size, fill: "var(--ink)", label: true }));
    return;
  }
  const y = o.up ? r.y - 5 : r.y + r.height + 13;
  if (o.room.take(r.x + r.width / 2 - w / 2 - 2, y - 11, w + 4, 13)) o.into.append(text(r.x + r.width / 2, y, s, { anchor: "middle", size: o.size, fill: "var(--ink)", halo: o.halo, label: true }));
}

/** The runs of groups that have a mark; with bridges there is one. @param {Drawing} m @param {Series} s */
function runs(m, s) {
  /** @type {number[][]} */
  const out = [];
  s.marks.forEach((mark, g) => {
    if (!mark) return;
    if (out.length && (m.bridge || s.role === "forecast" || s.marks[g - 1])) out[out.length - 1].push(g);
    else out.push([g]);
  });
  return out;
}

/** @param {Drawing} m @param {any} x @param {(g: number) => number} at @param {number} slot */
function areas(m, x, at, slot) {
  return runs(m, x.s).map((run) => {
    const wideRun = run.length > 1 ? run.map((g) => at(g)) : [at(run[0]) - slot * 0.3, at(run[0]) + slot * 0.3], of = run.length > 1 ? run : [run[0], run[0]];
    const top = of.map((g, i) => `${wideRun[i].toFixed(1)} ${x.on(x.at[g].size).toFixed(1)}`), under = of.map((g, i) => `${wideRun[i].toFixed(1)} ${x.on(x.at[g].from).toFixed(1)}`).reverse();
    return el("path", { d: `M${[...top, ...under].join("L")}Z`, fill: colour(x.s.colour), class: x.s.stack ? "area full" : "area" });
  });
}

/** @param {Drawing} m @param {any} x @param {(g: number) => number} at @param {Stage} st */
function curve(m, x, at, st) {
  const { s, i } = x, role = s.role ?? "", many = m.groups.length > 60;
  /** @type {Shape[]} */
  const out = [];
  for (const run of runs(m, s)) {
    if (role === "forecast") {
      const low = run.map((g) => `${at(g).toFixed(1)} ${x.on(s.marks[g].low).toFixed(1)}`).reverse(), high = run.map((g) => `${at(g).toFixed(1)} ${x.on(s.marks[g].high).toFixed(1)}`);
      out.push(el("path", { d: `M${[...high, ...low].join("L")}Z`, fill: colour(s.colour), class: "interval" }));
    }
    if (run.length > 1) out.push(el("path", { d: `M${run.map((g) => `${at(g).toFixed(1)} ${x.on(x.at[g].size).toFixed(1)}`).join("L")}`, stroke: colour(s.colour), class: `curve ${role}` }));
    for (const g of run) {
      const px = at(g), py = x.on(x.at[g].size);
      if (st.batch && role === "" && s.as === "line") {
        st.put(i, g, px, py, { x: px - 2, y: py - 2, width: 4, height: 4, fill: colour(s.colour), round: true });
        continue;
      }
      const mark = el("g", { class: "mark point", transform: `translate(${px.toFixed(1)} ${py.toFixed(1)})` });
      mark.append(el("circle", { r: 8, class: "hit" }));
      if (role === "" && s.as === "line" && (!many || run.length === 1)) {
        const shape = sign(s.of, colour(s.colour), m.groups.length > 30 ? 0.7 : 1);
        if (m.groups[g].partial) shape.set("fill", "var(--paper)");
        mark.append(shape);
      } else {
        mark.append(el("circle", { r: role === "forecast" ? 3 : s.as === "area" ? 0 : 2, fill: role === "" ? colour(s.colour) : "var(--paper)", stroke: colour(s.colour), class: "dot" }));
      }
      out.push(mark);
      st.put(i, g, px, py, mark);
    }
  }
  return out;
}
