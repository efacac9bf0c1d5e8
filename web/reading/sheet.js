/**
 * A dashboard in reading: loads the sheet and its widgets, narrows by clicked marks,
 * opens the reading line's phrases, and follows the records live.
 */
import { relook } from "./elements.js";
import { look } from "../page/look.js";
import { fill, post, say, Trouble } from "../page/api.js";
import { Address } from "./address.js";
import { Asking } from "./asking.js";
import { Changing } from "./changing.js";
import { Drawer } from "./drawer.js";
import { Following } from "./following.js";
import { freeze } from "./freezing.js";
import { mail, passView } from "./mailing.js";
import { menu } from "./marked.js";
import { popover } from "./popover.js";
import { taking } from "../page/taking.js";
import { Widget } from "./widget.js";

/** @typedef {{filters: Record<string, any>, narrow: {widget: string, marks: object[], words: string, without?: boolean, depth?: number}[], settings: Record<string, string>, looks: Record<string, {grain?: string, part?: {from: string, to: string}}>, drills: Record<string, {mark: object, into: string, words: string}[]>, sorts: Record<string, import("./draw.js").Sort>, hidden: Record<string, string[]>, only: Record<string, Record<string, any>>}} State */

/** The standard view, with what is given of another; which page it is of is known besides. @param {(Partial<State> & {page?: string}) | null} [of] @returns {State} */
function standard(of) {
  const { page, ...rest } = of ?? {};
  return { filters: {}, narrow: [], settings: {}, looks: {}, drills: {}, sorts: {}, hidden: {}, only: {}, ...rest };
}

export class Sheet {
  /** @param {HTMLElement} root @param {{dashboard: string, page: string, widget?: string, draft?: string, state?: Partial<State> | null, look?: string, paper?: boolean, only?: string[], following?: (told: {changed: (e: any) => void, again: () => void}) => {start: () => void, stop: () => void}, view?: (name: string, seen: import("./address.js").View) => void, noted?: (seen: import("./address.js").View) => void, opened?: (seen: import("./address.js").View & {pages: string[]}) => void, open?: (address: string) => void}} how look is how the page around it looks; on paper nothing is done, and perhaps only some widgets are there */
  constructor(root, how) {
    this.root = root;
    this.how = how;
    /** @type {State} */
    this.state = standard(how.state);
    this.address = new Address((view) => this.restore(view), (name, view) => this.named(name, view));
    /** The short name of what is seen, "" for the standard view. */
    this.name = new URL(location.href).searchParams.get("view") ?? "";
    /** @type {Map<string, Widget>} */
    this.widgets = new Map();
    /** @type {Map<string, AbortController>} */
    this.asking = new Map();
    /** @type {Map<string, number>} */
    this.retry = new Map();
    root.addEventListener("click", (e) => this.click(e));
    new Changing({
      root, path: (tail) => this.path(tail), fields: () => this.fields(), refresh: (id) => this.refresh([id]),
      popover: () => /** @type {HTMLElement} */ (this.popover), drawer: () => /** @type {Drawer} */ (this.drawer),
    });
    root.addEventListener("submit", (e) => {
      const form = /** @type {HTMLFormElement} */ (e.target);
      if (form.matches("[data-freeze]")) {
        e.preventDefault();
        e.stopPropagation();
        void freeze(form, this.path("freeze"), { ...this.fields(), page: this.how.page });
      }
      if (!form.matches("[data-find]")) return;
      e.preventDefault();
      e.stopPropagation();
      void this.find(form);
    }, true);
    document.addEventListener("keydown", (e) => this.key(e));
    // A tab that nobody sees holds no connection, of which browsers have few; seen again, it catches up.
    const told = { changed: (/** @type {any} */ e) => this.changed(e), again: () => void this.refresh() };
    this.following = how.following?.(told) ?? new Following(() => this.path(how.draft ? "live?draft=yes" : "live"), told);
    document.addEventListener("visibilitychange", () => {
      if (!this.begun) return;
      if (document.hidden) this.following.stop();
      else void this.refresh().then(() => this.following.start());
    });
  }

  /** @param {string} tail */
  path(tail) {
    return `/view/${encodeURIComponent(this.how.dashboard)}/${tail}`;
  }

  fields() {
    return { state: JSON.stringify(this.state), ...(this.how.draft ? { draft: this.how.draft } : {}) };
  }

  /** @param {string} [sheet] the sheet, where it is there already */
  async open(sheet) {
    if (!this.begun) {
      const held = this.how.paper ? null : this.address.held;
      if (held && held.dashboard === this.how.dashboard && !this.how.widget) {
        this.state = standard(held.state);
        this.how.page = held.page;
        sheet = "";
      }
      this.begun = true;
      if (!this.how.paper) this.address.begin(this.view());
    }
    this.root.setAttribute("aria-busy", "true");
    try {
      await this.lay(sheet);
    } finally {
      this.root.removeAttribute("aria-busy");
    }
    const title = /** @type {HTMLElement} */ (this.root.querySelector(".sheet")).dataset.title ?? "", tabs = /** @type {HTMLElement[]} */ ([...this.root.querySelectorAll("[data-page]")]);
    this.how.opened?.({ ...this.view(), page: title, pages: tabs.length ? tabs.map((b) => b.dataset.page ?? "") : [title] });
    await this.refresh();
  }

  /** What a host page asks for. @param {string} what @param {any} of */
  async asked(what, of) {
    if (what === "refresh") return this.refresh();
    if (what === "standard") return this.standard();
    if (what === "page" || what === "widget") {
      const how = { ...this.how, ...(what === "page" ? { page: String(of) } : { page: String(of?.page ?? ""), widget: String(of?.widget ?? "") }) };
      const sheet = await this.sheetOf(how); // there is such a page
      Object.assign(this.how, how);
      this.note();
      return this.open(sheet);
    }
    if (what === "filters" && (!of || typeof of !== "object")) throw new Error("Filters are an object, with what each is set to by its name.");
    const state = what === "narrow" ? { ...this.state, narrow: of } : { ...this.state, filters: { ...this.state.filters, ...of } };
    await post(this.path("line"), { state: JSON.stringify(state), page: this.how.page }); // what does not suit the dashboard changes nothing
    this.state = state;
    if (what === "narrow") this.widgets.forEach((w) => w.clear());
    this.note();
    return this.refresh();
  }

  /** The page around it looks so from now on. @param {string} about as the page says it @returns {Promise<{dark?: boolean | null, wrong?: string[]}>} */
  async place(about) {
    this.how.look = about;
    const placed = await post(this.path("look"), { look: about }, { json: true });
    if (about !== this.how.look) return placed; // another came meanwhile
    look(placed.css);
    relook();
    for (const w of this.widgets.values()) if (w.answer) w.show(w.answer);
    return placed;
  }

  /** What is seen now. @returns {import("./address.js").View} */
  view() {
    return { dashboard: this.how.dashboard, page: this.how.page, state: this.state, words: this.root.querySelector("h1")?.textContent ?? "" };
  }

  /** Something else is seen from now on: the browser's history notes it. */
  note() {
    this.how.noted?.(this.view());
    if (!this.how.draft) void this.address.note(this.view());
  }

  /** Shows a view of the history again. @param {import("./address.js").View} view */
  restore(view) {
    this.state = standard(view.state);
    Object.assign(this.how, { dashboard: view.dashboard, page: view.page });
    void this.address.name(view);
    void this.open();
  }

  /** @param {string} name @param {import("./address.js").View} view */
  named(name, view) {
    this.name = name;
    if (this.how.view) this.how.view(name, view);
    else {
      const at = new URL(location.href);
      for (const [part, value] of [["view", name], ["page", name ? "" : view.page]]) value ? at.searchParams.set(part, value) : at.searchParams.delete(part);
      history.replaceState(history.state, "", at);
    }
  }

  /** The sheet of a page, or of one widget. @param {{page: string, widget?: string, look?: string}} of @returns {Promise<string>} */
  sheetOf({ page, widget = "", look = "" }) {
    return post(this.path("sheet"), { ...this.fields(), page, widget, look });
  }

  /** Lays the page's widgets out. @param {string} [sheet] */
  async lay(sheet) {
    fill(this.root, sheet || await this.sheetOf(this.how));
    relook();
    look(/** @type {HTMLElement | null} */ (this.root.querySelector(".sheet"))?.dataset.look ?? "");
    this.root.querySelector("[data-tell]")?.setAttribute("aria-pressed", String(!!this.telling));
    this.widgets.clear();
    this.line = this.root.querySelector("#line");
    this.said = "";
    this.popover = /** @type {HTMLElement} */ (this.root.querySelector("#popover"));
    taking(this.popover, () => this.fields());
    this.drawer = new Drawer(/** @type {HTMLDialogElement} */ (this.root.querySelector("#drawer")), () => this.fields());
    this.questions = new Asking(this.root, (tail) => this.path(tail), () => ({ ...this.fields(), page: this.how.page }));
    for (const place of /** @type {NodeListOf<HTMLElement>} */ (this.root.querySelectorAll(".widget"))) {
      const d = place.dataset, id = d.widget ?? "";
      if (this.how.only && !this.how.only.includes(id)) {
        place.remove();
        continue;
      }
      place.style.gridColumn = `${Number(d.x) + 1} / span ${d.w}`;
      place.style.gridRow = `${Number(d.y) + 1} / span ${d.h}`;
      place.style.setProperty("--w", d.w ?? "12"); // on paper
      place.style.setProperty("--h", d.h ?? "4");
      this.widgets.set(id, new Widget(place, {
        choose: (marks, words) => this.narrow(id, marks, words),
        records: (mark, words) => place.dataset.records === "true" && void this.records(id, mark, words),
        look: (change) => this.look(id, change),
        chosen: () => this.state.narrow.filter((n) => n.widget === id && !n.without).flatMap((n) => n.marks),
        menu: (marked, beside) => this.menu(id, marked, beside),
        drill: (marked) => {
          const deeper = this.widgets.get(id)?.answer?.deeper;
          this.drill(id, marked, deeper?.into ?? "", deeper?.place ?? 0);
        },
        why: (two) => void this.why(id, two),
        sort: this.how.paper ? undefined : (by) => this.sort(id, by),
        sorted: () => this.state.sorts[id],
        changes: !this.how.paper,
        hide: (names) => this.hide(id, names),
        up: () => this.up(id, (this.state.drills[id]?.length ?? 0) - 1),
      }));
    }
    this.backLine();
    this.column();
    if (!document.hidden) void this.following.start();
  }

  /** On a narrow screen the widgets stand in one column, in the order and as many of them as the page says. */
  column() {
    const sheet = /** @type {HTMLElement | null} */ (this.root.querySelector(".sheet"));
    if (!sheet || this.how.widget || !matchMedia("(max-width: 700px)").matches) return;
    /** @type {string[]} */
    const order = JSON.parse(sheet.dataset.narrow ?? "[]");
    order.forEach((id) => sheet.append(/** @type {HTMLElement} */ (this.widgets.get(id)?.place)));
    for (const [id, widget] of this.widgets) {
      if (order.includes(id)) continue;
      widget.place.remove();
      this.widgets.delete(id);
    }
  }

  /** Asks for widgets anew: all of them, or those named. @param {Iterable<string>} [ids] */
  async refresh(ids = this.widgets.keys()) {
    await Promise.all([this.readLine(), ...[...ids].map((id) => this.ask(id))]);
  }

  /** @param {string} id */
  async ask(id) {
    const widget = this.widgets.get(id);
    if (!widget) return;
    this.asking.get(id)?.abort();
    clearTimeout(this.retry.get(id));
    const mine = new AbortController();
    this.asking.set(id, mine);
    widget.busy(() => {
      mine.abort();
      widget.fail("Stopped.", () => void this.ask(id));
    });
    try {
      const answer = await post(this.path(`widgets/${encodeURIComponent(id)}`), this.fields(), { json: true, signal: mine.signal });
      widget.show(answer);
      this.fresh();
    } catch (error) {
      if (mine.signal.aborted) return;
      widget.fail(/** @type {Error} */ (error).message, () => void this.ask(id));
      if (error instanceof Trouble && error.status === 503) this.retry.set(id, window.setTimeout(() => void this.ask(id), 2000));
    }
  }

  /** Says of the whole page how fresh it is: live only if every widget is. */
  fresh() {
    const place = this.root.querySelector("#fresh"), told = [...this.widgets.values()].flatMap((w) => (w.answer?.fresh ? [w.answer] : []));
    if (!place || told.length === 0) return;
    place.textContent = told.every((a) => a.live) ? "live" : told.some((a) => a.live) ? "live in part" : "not live";
  }

  /** The reading line; one that says the same is left alone, so that nobody hears it again. */
  async readLine() {
    if (!this.line) return;
    const mine = this.reading = (this.reading ?? 0) + 1; // one that was asked for before says what is no longer so
    try {
      const line = await post(this.path("line"), { ...this.fields(), page: this.how.page });
      if (mine !== this.reading) return;
      if (line !== this.said) fill(this.line, line);
      this.said = line;
    } catch (error) {
      if (mine !== this.reading) return;
      this.line.textContent = /** @type {Error} */ (error).message;
      this.said = "";
      if (error instanceof Trouble && error.status === 503) setTimeout(() => void this.readLine(), 2000);
    }
  }

  /** A choice of marks on a widget narrows the others. @param {string} id @param {object[]} marks @param {string} words */
  narrow(id, marks, words) {
    this.state.narrow = this.state.narrow.filter((n) => n.widget !== id || n.without);
    if (marks.length) this.state.narrow.push({ widget: id, marks, words, ...this.depth(id) });
    say(marks.length ? `Narrowed to ${words}` : "Lifted");
    this.note();
    void this.refresh([...this.widgets.keys()].filter((other) => other !== id));
  }

  /** Sorts a table or a list by a heading. @param {string} id @param {import("./draw.js").Sort} by */
  sort(id, by) {
    this.state.sorts[id] = by;
    this.note();
    void this.refresh([id]);
  }

  /** Hides names of a chart's legend: what is left is worked out anew. @param {string} id @param {string[]} names */
  hide(id, names) {
    if (names.length) this.state.hidden[id] = names;
    else delete this.state.hidden[id];
    this.note();
    void this.refresh([id]);
  }

  /** How far down a widget stands, where it does. @param {string} id */
  depth(id) {
    const depth = this.state.drills[id]?.length;
    return depth ? { depth } : {};
  }

  /** Opens the menu of a mark. @param {string} id @param {import("./marked.js").Marked} marked @param {{getBoundingClientRect: () => DOMRect, focus: () => void}} beside */
  menu(id, marked, beside) {
    const at = (/** @type {string} */ tail) => this.path(`widgets/${encodeURIComponent(id)}/${tail}`);
    void menu(/** @type {HTMLElement} */ (this.popover), /** @type {HTMLElement} */ (beside), at("mark"), () => this.fields(), marked, {
      narrow: ({ chosen, words }) => {
        if (!chosen) return;
        this.widgets.get(id)?.clear();
        this.narrow(id, [chosen], words);
      },
      without: ({ chosen, words }) => {
        if (!chosen) return;
        this.state.narrow = this.state.narrow.filter((n) => n.widget !== id || n.without);
        this.state.narrow.push({ widget: id, marks: [chosen], words, without: true, ...this.depth(id) });
        this.widgets.get(id)?.clear();
        say(`Left out ${words}`);
        this.note();
        void this.refresh();
      },
      drill: (m, into, place) => this.drill(id, m, into, place),
      records: ({ mark, words }) => void this.records(id, mark, words),
      go: ({ mark }, way) => void this.go(id, mark, way),
      why: (two) => void this.why(id, two),
    });
  }

  /** Says what makes the difference between two marks. @param {string} id @param {import("./marked.js").Two} two */
  why(id, two) {
    return this.drawer?.ask(this.path(`widgets/${encodeURIComponent(id)}/why`), { now: JSON.stringify(two.now), before: JSON.stringify(two.before), now_words: two.nowWords, before_words: two.beforeWords });
  }

  /** Goes from the group of a mark that has a number down to its parts. @param {string} id @param {import("./marked.js").Marked} marked @param {string} into @param {number} place */
  drill(id, marked, into, place) {
    if (!into || !marked.chosen) {
      say("There is nothing further down from here.");
      return;
    }
    const words = marked.parts?.[place] ?? marked.words;
    this.state.drills[id] = [...(this.state.drills[id] ?? []), { mark: marked.chosen, into, words }];
    this.state.narrow = this.state.narrow.filter((n) => n.widget !== id || n.without);
    this.moved(id, `Down into ${words}`);
  }

  /** Goes up again to where so many steps down were taken. @param {string} id @param {number} depth */
  up(id, depth) {
    const steps = this.state.drills[id];
    if (!steps || depth < 0 || depth >= steps.length) return;
    const words = steps[depth].words;
    if (depth) this.state.drills[id] = steps.slice(0, depth);
    else delete this.state.drills[id];
    this.state.narrow = this.state.narrow.filter((n) => n.widget !== id || n.without && (n.depth ?? 0) <= depth);
    this.moved(id, `Up again from ${words}`);
  }

  /** @param {string} id @param {string} words */
  moved(id, words) {
    const widget = this.widgets.get(id);
    widget?.clear();
    if (widget?.chart) widget.chart.at = null;
    say(words);
    this.note();
    void this.refresh();
  }

  /** Follows a way from a mark to another place. @param {string} id @param {object} mark @param {string} way */
  async go(id, mark, way) {
    let to;
    try {
      to = await post(this.path(`widgets/${encodeURIComponent(id)}/go`), { ...this.fields(), page: this.how.page, mark: JSON.stringify(mark), way }, { json: true });
    } catch (error) {
      say(/** @type {Error} */ (error).message);
      return;
    }
    if (to.address) {
      if (this.how.open) this.how.open(to.address);
      else if (to.host) open(to.host + to.address, "_blank", "noopener");
      else say("No host app is registered that would open this.");
    } else if (to.dashboard === this.how.dashboard || this.how.open) {
      const from = this.view().words;
      Object.assign(this.how, { dashboard: to.dashboard, page: to.page });
      this.state = standard(to.state);
      this.from = from;
      this.note();
      await this.open();
    } else {
      const at = new URL(`/dashboards/${encodeURIComponent(to.dashboard)}`, location.href);
      if (to.view) at.searchParams.set("view", to.view);
      at.searchParams.set("from", this.name ? `${this.how.dashboard}.${this.name}` : this.how.dashboard);
      location.assign(at);
    }
  }

  /** After a way within the same window, what leads back. */
  backLine() {
    if (!this.from) return;
    const p = document.createElement("p"), back = document.createElement("button");
    p.className = "back-line";
    back.type = "button";
    back.className = "plain";
    back.textContent = `‹ back to ${this.from}`;
    back.addEventListener("click", () => history.back());
    p.append(back);
    this.root.prepend(p);
    this.from = "";
  }

  /** A viewer looks at a widget by another grain, closer, or at its whole range again. @param {string} id @param {{grain?: string, part?: {from: string, to: string} | null}} change */
  look(id, change) {
    const { grain, part } = { ...this.state.looks[id], ...change };
    this.state.looks[id] = { ...(grain ? { grain } : {}), ...(part ? { part } : {}) };
    if (!grain && !part) delete this.state.looks[id];
    this.widgets.get(id)?.clear();
    this.state.narrow = this.state.narrow.filter((n) => n.widget !== id || n.without);
    this.note();
    void this.refresh();
  }

  /** @param {number} i */
  lift(i) {
    const [gone] = this.state.narrow.splice(i, 1);
    if (!gone) return;
    if (!gone.without) this.widgets.get(gone.widget)?.clear();
    say(`Lifted ${gone.words}`);
    this.note();
    void this.refresh();
  }

  /** @param {string} id @param {object} mark @param {string} words */
  records(id, mark, words) {
    return this.drawer?.open(this.path(`widgets/${encodeURIComponent(id)}/records`), mark, words);
  }

  /** @param {MouseEvent} e */
  click(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    const record = /** @type {HTMLAnchorElement | null} */ (target.closest("a.record"));
    if (record && this.how.open && !e.defaultPrevented) {
      e.preventDefault();
      this.how.open(record.dataset.record ?? "");
      return;
    }
    const order = /** @type {HTMLAnchorElement | null} */ (target.closest("a[data-mail-new]"));
    if (order) passView(order);
    const button = /** @type {HTMLButtonElement | null} */ (target.closest("button"));
    if (!button) return;
    const d = button.dataset;
    if (d.filter) void this.unfold(button, this.path(`filters/${encodeURIComponent(d.filter)}`), d.filter, d.in ?? "");
    else if (d.liftOnly) this.setOnly(d.of ?? "", d.liftOnly, null);
    else if (d.lift) d.of ? this.up(d.of, Number(d.lift)) : this.lift(Number(d.lift));
    else if (d.liftFilter) {
      delete this.state.filters[d.liftFilter];
      this.note();
      void this.refresh();
    }
    else if (d.up) this.up(/** @type {HTMLElement} */ (button.closest(".widget")).dataset.widget ?? "", Number(d.up));
    else if ("takePage" in d) void this.unfold(button, this.path("take"), "");
    else if ("freezes" in d) void this.unfold(button, this.path("freezing"), "");
    else if ("mails" in d) void this.unfold(button, this.path("deliveries"), "");
    else if (d.mail) void mail(button, this.path(`deliveries/${d.mail}`));
    else if (d.takeOf) void this.unfold(button, this.path(`widgets/${encodeURIComponent(d.takeOf)}/take`), "");
    else if ("standard" in d) this.standard();
    else if ("refresh" in d) void this.refresh();
    else if ("tell" in d) {
      this.telling = !this.telling;
      button.setAttribute("aria-pressed", String(this.telling));
    }
    else if ("full" in d) void (document.fullscreenElement ? document.exitFullscreen() : this.root.requestFullscreen()).catch(() => say("This page may not fill the screen."));
    else if (d.page) {
      this.how.page = d.page;
      this.note();
      void this.open();
    } else if (d.do) {
      const id = /** @type {HTMLElement} */ (button.closest(".widget")).dataset.widget ?? "";
      if (d.do === "records") void this.records(id, this.widgets.get(id)?.answer?.whole ?? {}, "");
      if (d.do === "large") this.large(id);
      if (d.do === "narrow") void this.unfold(button, this.path("filters/+"), "+", id);
      if (d.do === "words") void this.unfold(button, this.path(`widgets/${encodeURIComponent(id)}/words`), "");
    }
  }

  /** Shows a widget as large as the window, or in its place again. @param {string} id */
  large(id) {
    const place = this.widgets.get(id)?.place, on = place?.classList.toggle("whole") ?? false, word = /** @type {HTMLElement | null} */ (place?.querySelector("[data-do=large]"));
    word?.setAttribute("aria-pressed", String(on));
    if (word) word.textContent = on ? "in its place" : "large";
    word?.focus();
  }

  /** Keeps what a widget shows now, by a name. @param {HTMLFormElement} form */
  async find(form) {
    const wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
    try {
      const html = await post(this.path(`widgets/${encodeURIComponent(form.dataset.find ?? "")}/finding`), { ...this.fields(), ...Object.fromEntries(/** @type {[string, string][]} */ ([...new FormData(form)])) });
      form.outerHTML = html;
    } catch (error) {
      wrong.textContent = /** @type {Error} */ (error).message;
      wrong.hidden = false;
    }
  }

  standard() {
    this.state = standard();
    this.widgets.forEach((w) => w.clear());
    this.note();
    void this.refresh();
  }

  /** Sets a filter in one chart alone. @param {string} id @param {string} filter @param {any} value */
  setOnly(id, filter, value) {
    const { [filter]: _, ...rest } = this.state.only[id] ?? {};
    if (value !== null) rest[filter] = value;
    if (Object.keys(rest).length) this.state.only[id] = rest;
    else delete this.state.only[id];
    this.note();
    void this.refresh([id]);
  }

  /**
   * Opens a popover under a button: what a filter may be set to, in the page or in one chart alone, or words.
   * @param {HTMLElement} button @param {string} address @param {string} filter @param {string} [only] the chart
   */
  async unfold(button, address, filter, only = "") {
    const box = this.popover;
    if (!box) return;
    const under = box.contains(button) ? (this.under ?? button) : (this.under = button);
    // A filter of one chart alone is shown as that is set, as if all of the page were.
    const alone = only && filter !== "+" ? { filters: { ...this.state.filters, [filter]: this.state.only[only]?.[filter] ?? null } } : {};
    const state = { ...this.state, ...alone };
    const fields = () => ({ ...this.fields(), state: JSON.stringify(state), page: this.how.page, ...(only ? { only_in: only } : {}) });
    await popover(box, under, address, fields, !filter || filter === "+" ? undefined : (value) => {
      if (only) return this.setOnly(only, filter, value);
      if (!filter.startsWith("=")) this.state.filters[filter] = value;
      else if (value === null) delete this.state.settings[filter.slice(1)];
      else this.state.settings[filter.slice(1)] = value;
      this.note();
      void this.refresh();
    });
    if (filter === "+") /** @type {HTMLElement | null} */ (box.querySelector("button"))?.focus();
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    if (e.key !== "Escape" || e.defaultPrevented) return;
    if (this.popover?.matches(":popover-open")) return;
    if (this.drawer?.isOpen) this.drawer.close();
    else if (this.root.querySelector(".widget.whole")) this.large(/** @type {HTMLElement} */ (this.root.querySelector(".widget.whole")).dataset.widget ?? "");
    else if (this.state.narrow.length) this.lift(this.state.narrow.length - 1);
    else return;
    e.preventDefault();
  }

  /** @param {{widgets: string[], lost: boolean}} e */
  changed(e) {
    const changed = e.widgets.filter((id) => this.widgets.has(id));
    void this.refresh(changed);
    // Told where that is asked for, once in ten seconds at most.
    if (!this.telling || changed.length === 0 || Date.now() - (this.toldAt ?? 0) < 10_000) return;
    this.toldAt = Date.now();
    say(changed.length === 1 ? "A chart has changed with its records." : `${changed.length} charts have changed with their records.`);
  }
}
