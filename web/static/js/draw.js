/**
 * Draws the server's drawing models with ECharts, and lets the keyboard move among
 * marks. It maps the model to options; it computes and formats nothing.
 */

/**
 * @typedef {{size: number, label: string, exact: string}} Mark
 * @typedef {{name: string, colour: string, measure: number, key?: object, words?: string, marks: (Mark | null)[]}} Series
 * @typedef {{label: string, full: string, partial?: boolean, key: object, words: string}} Group
 * @typedef {{kind: string, stacked: boolean, groups: Group[], series: Series[], axis: {low: number, high: number, ticks: {at: number, label: string}[]}, summary: string, reference: Record<string, any>}} Drawing
 * @typedef {{series: number, group: number}} Place
 */

/** @type {any} */
const echarts = /** @type {any} */ (window).echarts;

/** @param {string} name */
const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();

/** Patterns tell series apart where colour does not: on paper and for some eyes. */
const shapes = ["circle", "rect", "triangle", "diamond", "emptyCircle", "emptyRect", "emptyTriangle", "emptyDiamond", "roundRect", "pin"];

/** The same shapes in the legend. @type {Record<string, string>} */
const signs = { circle: "M1.5 5.5a4 4 0 1 0 8 0a4 4 0 1 0-8 0z", rect: "M2 2h7v7H2z", triangle: "M5.500 1.500 10 9.500H1z", diamond: "M5.500 1 10 5.500 5.500 10 1 5.500z" };

/** What a chart tells its page. @typedef {{choose: (marks: object[], words: string) => void, records: (mark: object, words: string) => void}} Listener */

/** A drawn chart. */
export class Chart {
  /** @param {HTMLElement} place @param {Listener} listener */
  constructor(place, listener) {
    this.place = place;
    this.listener = listener;
    /** @type {Drawing | null} */
    this.model = null;
    /** @type {Place | null} */
    this.at = null;
    /** @type {Set<string>} */
    this.chosen = new Set();
    place.tabIndex = 0;
    place.setAttribute("role", "listbox");
    this.option = document.createElement("div");
    this.option.id = `mark-${Math.random().toString(36).slice(2)}`;
    this.option.className = "visually-hidden";
    this.option.setAttribute("role", "option");
    this.canvas = document.createElement("div");
    this.canvas.className = "chart";
    this.tip = document.createElement("div");
    this.tip.className = "tip";
    this.tip.hidden = true;
    this.tip.setAttribute("aria-hidden", "true");
    place.replaceChildren(this.option, this.canvas, this.tip);
    this.chart = echarts.init(this.canvas, null, { renderer: "canvas" });
    this.chart.on("click", (/** @type {any} */ e) => {
      if (e.componentType !== "series") return;
      const at = this.placeOf(e);
      this.pick(at, e.event?.event?.shiftKey || e.event?.event?.ctrlKey || e.event?.event?.metaKey);
    });
    this.chart.on("mouseover", (/** @type {any} */ e) => e.componentType === "series" && this.show(this.placeOf(e), e.event?.offsetX, e.event?.offsetY));
    this.chart.on("mouseout", () => this.hide());
    place.addEventListener("keydown", (e) => this.key(e));
    place.addEventListener("focus", () => { if (!this.at) this.move(this.first()); });
    place.addEventListener("blur", () => { this.hide(); this.downplay(); });
    this.observer = new ResizeObserver(() => this.model && this.layout());
    this.observer.observe(place);
    this.theme = matchMedia("(prefers-color-scheme: dark)");
    this.retheme = () => this.model && this.layout();
    this.theme.addEventListener("change", this.retheme);
  }

  dispose() {
    this.observer.disconnect();
    this.theme.removeEventListener("change", this.retheme);
    this.chart.dispose();
  }

  /** @param {any} e @returns {Place} */
  placeOf(e) {
    return { series: Number(e.seriesId), group: e.dataIndex };
  }

  /** @param {Drawing} model @param {string} title */
  draw(model, title) {
    this.model = model;
    this.place.setAttribute("aria-label", `${title}. ${model.summary} Arrow keys move among the marks, Space chooses one, R lists its records.`);
    if (this.at && !this.markAt(this.at)) this.at = null;
    if (!this.at) {
      this.option.textContent = model.summary;
      this.option.setAttribute("aria-selected", "false");
    }
    this.layout();
  }

  layout() {
    const m = /** @type {Drawing} */ (this.model);
    this.chart.resize();
    const bars = m.kind === "bars", width = this.place.clientWidth;
    const ink = colour("ink"), soft = colour("soft"), hair = colour("hairline"), paper = colour("paper");
    const text = { color: soft, fontFamily: "Figtree", fontSize: 12 };
    const longest = Math.max(1, ...m.groups.map((g) => g.label.length));
    const category = {
      type: "category", data: m.groups.map((g) => g.label), inverse: bars, axisTick: { show: false }, axisLine: { lineStyle: { color: ink } },
      axisLabel: { ...text, hideOverlap: true, overflow: "truncate", width: bars ? Math.min(170, longest * 7) : undefined, interval: bars ? 0 : "auto" },
    };
    const ticks = new Map(m.axis.ticks.map((t) => [t.at.toPrecision(9), t.label]));
    const step = m.axis.ticks.length > 1 ? m.axis.ticks[1].at - m.axis.ticks[0].at : undefined;
    const value = {
      type: "value", min: m.axis.low, max: m.axis.high, interval: step, splitNumber: m.axis.ticks.length,
      axisLabel: { ...text, formatter: (/** @type {number} */ v) => ticks.get(v.toPrecision(9)) ?? (Math.abs(v) < 1e-9 ? ticks.get((0).toPrecision(9)) ?? "" : ""), hideOverlap: true },
      splitLine: { lineStyle: { color: hair, width: 1 } },
    };
    this.chart.setOption({
      animation: !matchMedia("(prefers-reduced-motion: reduce)").matches, animationDuration: 160, animationDurationUpdate: 160,
      grid: { left: bars ? 4 : 18, right: 18, top: 10, bottom: 6, containLabel: true },
      xAxis: bars ? value : category, yAxis: bars ? category : value,
      series: m.series.map((s, i) => this.series(s, i, m, { ink, paper, width })),
    }, { replaceMerge: ["series"] });
  }

  /** @param {Series} s @param {number} i @param {Drawing} m @param {{ink: string, paper: string, width: number}} look */
  series(s, i, m, look) {
    const line = m.kind === "line", base = colour(s.colour);
    return {
      id: String(i), type: line ? "line" : "bar", stack: m.stacked ? "all" : undefined, cursor: "pointer",
      name: s.name, barMaxWidth: 42, barCategoryGap: m.groups.length > 30 ? "18%" : "32%", barGap: "8%",
      symbol: shapes[i % shapes.length], symbolSize: m.groups.length > 60 ? 4 : 7, showSymbol: true, lineStyle: { width: 2, color: base },
      itemStyle: { color: base },
      emphasis: { disabled: false, focus: "none", itemStyle: { color: base, borderColor: look.ink, borderWidth: 2 } },
      data: s.marks.map((mark, g) => {
        if (!mark) return { value: null };
        const faded = this.chosen.size > 0 && !this.chosen.has(this.keyOf({ series: i, group: g }));
        /** @type {Record<string, any>} */
        const style = { opacity: faded ? 0.28 : 1 };
        if (m.stacked) Object.assign(style, { borderColor: look.paper, borderWidth: m.groups.length > 40 ? 0.5 : 1 });
        if (m.groups[g].partial && !line) style.decal = { symbol: "rect", dashArrayX: [1, 0], dashArrayY: [2, 4], rotation: -0.8, color: look.paper };
        if (this.chosen.size > 0 && !faded) Object.assign(style, { borderColor: look.ink, borderWidth: 2 });
        return { value: mark.size, itemStyle: style };
      }),
    };
  }

  /** @param {Place} p */
  markAt(p) {
    return this.model?.series[p.series]?.marks[p.group] ?? null;
  }

  /** What a mark stands for. @param {Place} p */
  words(p) {
    const m = /** @type {Drawing} */ (this.model);
    return [m.series[p.series].words, m.groups[p.group].words].filter(Boolean).join(", ");
  }

  /** The reference that leads to a mark's records. @param {Place} p */
  reference(p) {
    const m = /** @type {Drawing} */ (this.model), s = m.series[p.series];
    const keys = s.key ? [m.groups[p.group].key, s.key] : [m.groups[p.group].key];
    return { ...m.reference, measure: s.measure, keys, was: this.markAt(p)?.exact };
  }

  /** @param {Place} p */
  keyOf(p) {
    const r = this.reference(p);
    return JSON.stringify([r.measure, r.keys]);
  }

  /** @param {Place} p @param {boolean} add */
  pick(p, add) {
    const mark = this.markAt(p);
    if (!mark) return;
    this.at = p;
    const key = this.keyOf(p);
    if (add) {
      if (!this.chosen.delete(key)) this.chosen.add(key);
    } else if (this.chosen.size === 1 && this.chosen.has(key)) {
      this.chosen.clear();
    } else {
      this.chosen = new Set([key]);
    }
    this.tell();
    this.layout();
  }

  tell() {
    const m = /** @type {Drawing} */ (this.model);
    /** @type {object[]} */
    const marks = [];
    /** @type {string[]} */
    const words = [];
    m.series.forEach((s, series) => s.marks.forEach((mark, group) => {
      if (mark && this.chosen.has(this.keyOf({ series, group }))) {
        marks.push(this.reference({ series, group }));
        words.push(this.words({ series, group }));
      }
    }));
    this.listener.choose(marks, words.join(" or "));
  }

  /** Takes the choice back without telling. */
  clear() {
    if (this.chosen.size === 0) return;
    this.chosen.clear();
    if (this.model) this.layout();
  }

  first() {
    const m = this.model;
    for (let g = 0; m && g < m.groups.length; g++) for (let s = 0; s < m.series.length; s++) if (m.series[s].marks[g]) return { series: s, group: g };
    return null;
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    const m = this.model;
    if (!m || e.altKey || e.target !== this.place) return;
    const at = this.at ?? this.first();
    if (!at) return;
    const along = m.kind === "bars" ? ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"] : ["ArrowLeft", "ArrowRight", "ArrowDown", "ArrowUp"];
    const which = along.indexOf(e.key);
    if (which >= 0) {
      const step = which % 2 ? 1 : -1, next = { ...at };
      do {
        if (which < 2) next.group += step;
        else next.series += step;
      } while (next.group >= 0 && next.group < m.groups.length && next.series >= 0 && next.series < m.series.length && !this.markAt(next));
      if (this.markAt(next)) this.move(next);
    } else if (e.key === " ") {
      this.pick(at, e.shiftKey || e.ctrlKey);
      this.move(at);
    } else if (e.key === "Home") {
      this.move(this.first());
    } else if ((e.key === "r" || e.key === "R") && !e.ctrlKey && !e.metaKey) {
      this.listener.records(this.reference(at), this.words(at));
    } else {
      return;
    }
    e.preventDefault();
  }

  /** @param {Place | null} p */
  move(p) {
    const mark = p && this.markAt(p);
    if (!p || !mark) return;
    this.downplay();
    this.at = p;
    this.option.textContent = `${mark.label}, ${this.words(p)}`;
    this.option.setAttribute("aria-selected", String(this.chosen.has(this.keyOf(p))));
    this.place.setAttribute("aria-activedescendant", this.option.id);
    this.chart.dispatchAction({ type: "highlight", seriesId: String(p.series), dataIndex: p.group });
    if (this.place.matches(":focus-visible")) {
      const x = this.chart.convertToPixel({ seriesId: String(p.series) }, this.model?.kind === "bars" ? [mark.size, p.group] : [p.group, mark.size]);
      this.show(p, x?.[0] ?? 8, x?.[1] ?? 8);
    }
  }

  downplay() {
    if (this.at) this.chart.dispatchAction({ type: "downplay", seriesId: String(this.at.series), dataIndex: this.at.group });
  }

  /** @param {Place} p @param {number} x @param {number} y */
  show(p, x, y) {
    const mark = this.markAt(p);
    if (!mark) return;
    const value = document.createElement("b");
    value.textContent = mark.label;
    this.tip.replaceChildren(value, ` ${this.words(p)}`);
    this.tip.hidden = false;
    const width = this.place.clientWidth, height = this.place.clientHeight;
    this.tip.style.left = `${Math.max(0, Math.min(x + 12, width - this.tip.offsetWidth - 4))}px`;
    this.tip.style.top = `${Math.max(0, Math.min(y + 14, height - this.tip.offsetHeight - 4))}px`;
  }

  hide() {
    this.tip.hidden = true;
  }

  /** The legend, as a list of the page's own. */
  legend() {
    const list = document.createElement("ul");
    list.className = "legend";
    list.setAttribute("aria-label", "Legend");
    const m = this.model;
    if (!m || m.series.length < 2) return list;
    for (const s of m.series) {
      const item = document.createElement("li");
      const box = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      box.setAttribute("viewBox", "0 0 11 11");
      box.setAttribute("aria-hidden", "true");
      const sign = document.createElementNS("http://www.w3.org/2000/svg", "path");
      const shape = shapes[m.series.indexOf(s) % shapes.length];
      sign.setAttribute("d", m.kind === "line" ? signs[shape.replace("empty", "").toLowerCase()] ?? signs.circle : "M0 11 4 0h7v11z");
      sign.style.fill = shape.startsWith("empty") && m.kind === "line" ? "none" : `var(--${s.colour})`;
      sign.style.stroke = `var(--${s.colour})`;
      box.append(sign);
      item.append(box, s.name);
      list.append(item);
    }
    return list;
  }
}
