/** <eskadel-dashboard>: a dashboard, one of its pages or a single widget, in a page of a host app. */
import { Connection } from "./connection.js";
import { named, styles, Tag } from "./element.js";
import { lookOf, said, watch } from "./looks.js";

const looks = ["theme", ...said], shown = ["page", "widget", "filters"], sizes = ["height", "width", "title"];

const css = styles(`
:host { display: block; position: relative; }
iframe { display: block; width: 100%; border: 0; background: transparent; }
.coming iframe { position: absolute; inset: 0; opacity: 0; pointer-events: none; }
.blocks { display: grid; grid-template: 36px 96px 200px / 3fr 2fr; gap: 18px 28px; padding: 4px 2px; animation: wait 1.6s ease-in-out infinite alternate; }
.blocks i { background: currentColor; opacity: 0.07; border-radius: 3px; }
.blocks :is(i:first-child, i:last-child) { grid-column: 1 / -1; }
.trouble { margin: 12px 0; padding: 4px 12px; border-inline-start: 3px solid; }
.trouble button { font: inherit; color: inherit; min-height: 24px; background: none; border: 0; padding: 0 4px; text-decoration: underline; cursor: pointer; }
[hidden] { display: none; }
@keyframes wait { from { opacity: 1; } to { opacity: 0.45; } }
@media (prefers-reduced-motion: reduce) { .blocks { animation: none; } }`);

/** @param {string} name @param {Partial<HTMLElement>} [set] @param {(Node | string)[]} [children] */
function el(name, set = {}, children = []) {
  const out = Object.assign(document.createElement(name), set);
  out.append(...children);
  return out;
}

export class Dashboard extends Tag {
  static observedAttributes = [...named, ...looks, ...shown, ...sizes];

  constructor() {
    super();
    const root = this.attachShadow({ mode: "open" });
    root.adoptedStyleSheets = [css];
    this.probe = el("i", { hidden: true });
    this.blocks = el("div", { className: "blocks", ariaHidden: "true" }, [el("i"), el("i"), el("i"), el("i")]);
    this.waiting = el("div", {}, [this.blocks, el("slot")]);
    this.words = el("span");
    this.again = el("button", { textContent: "try again" });
    this.again.addEventListener("click", () => this.connection?.say({ say: "begin" }));
    this.trouble = el("p", { className: "trouble", role: "alert", hidden: true }, [this.words, " ", this.again]);
    this.place = el("div");
    root.append(this.probe, this.waiting, this.trouble, this.place);
    /** @type {Connection | null} */
    this.connection = null;
    /** What was asked of the frame and is not done yet. @type {Map<number, {done: (v?: any) => void, failed: (e: Error) => void}>} */
    this.asked = new Map();
    this.last = 0;
    this.look = "";
    /** @type {(() => void) | undefined} */
    this.shown = undefined;
    /** @type {((why: Error) => void) | undefined} */
    this.unshown = undefined;
  }

  connectedCallback() {
    super.connectedCallback();
    this.unwatch = watch(() => this.restyle());
  }

  disconnectedCallback() {
    this.unwatch?.();
    this.end();
  }

  /** @param {Set<string>} names */
  changed(names) {
    const any = (/** @type {string[]} */ of) => of.some((name) => names.has(name));
    if (any(sizes)) this.size();
    if (any(named)) return this.begin();
    if (any(looks)) this.restyle();
    if (!this.ready) return;
    const quietly = () => {}; // what is wrong is told by an event
    if (names.has("page") || names.has("widget")) this.ask("widget", { page: this.getAttribute("page") ?? "", widget: this.getAttribute("widget") ?? "" }).catch(quietly);
    if (names.has("filters")) this.ask("filters", this.filters()).catch(quietly);
  }

  /** Shows what the tag says, from the beginning. */
  begin() {
    this.end();
    // What is asked of the frame waits until it shows something.
    this.ready = new Promise((shown, failed) => Object.assign(this, { shown, unshown: failed }));
    this.ready.catch(() => {}); // told by an event
    this.blocks.hidden = this.childElementCount > 0 || !!this.textContent?.trim(); // a page may have what to show meanwhile
    this.waiting.hidden = false;
    this.trouble.hidden = true;
    this.place.className = "coming";
    this.place.hidden = false;
    this.ariaBusy = "true";
    this.size();
    if (!this.filters()) this.failed("filters", "The attribute filters cannot be read: it is an object as JSON, with what each filter is set to by its name. The dashboard is shown without.");
    const wanted = this.wanted();
    if ("words" in wanted) {
      this.patience = window.setTimeout(() => this.fail(wanted.reason, wanted.words, true), wanted.wait);
      return;
    }
    this.connection = new Connection({ ...wanted, as: () => this.as(), heard: (message) => this.hear(message), failed: (reason, words, whole) => this.fail(reason, words, whole) });
    this.size();
    this.place.replaceChildren(this.connection.frame);
  }

  end() {
    clearTimeout(this.patience);
    this.connection?.end();
    this.connection = null;
    for (const { failed } of this.asked.values()) failed(new Error("The dashboard is no longer shown."));
    this.asked.clear();
  }

  /** How the dashboard is to be shown at first. @returns {import("./messages.js").As} */
  as() {
    const part = this.getAttribute("keep-view"), look = lookOf(this, this.probe);
    this.look = JSON.stringify(look);
    return {
      page: this.getAttribute("page") ?? "", widget: this.getAttribute("widget") ?? "", look, language: this.language(),
      view: part ? new URL(location.href).searchParams.get(part) ?? "" : "", ...(this.hasAttribute("filters") ? { filters: /** @type {any} */ (this.filters()) } : {}),
    };
  }

  /** As large as the page says, or as what is in it. */
  size() {
    const { frame } = this.connection ?? {}, height = Number(this.getAttribute("height")), width = this.getAttribute("width");
    this.fixed = height > 0;
    this.style.width = width ? (Number(width) > 0 ? `${Number(width)}px` : width) : "";
    if (!frame) return;
    frame.style.height = this.fixed ? `${height}px` : frame.style.height || "320px";
    frame.title = this.getAttribute("title") ?? this.called ?? "Dashboard";
  }

  restyle() {
    const look = lookOf(this, this.probe), said = JSON.stringify(look);
    if (said === this.look) return;
    this.look = said;
    this.connection?.say({ say: "look", look });
  }

  /** The frame has something to show: no more waiting. */
  arrived() {
    this.waiting.hidden = true;
    this.trouble.hidden = true;
    this.place.className = "";
    this.place.hidden = false;
    this.ariaBusy = null;
  }

  /** @param {string} reason @param {string} words @param {boolean} whole nothing else is shown: the page says why, in its own letters */
  fail(reason, words, whole) {
    if (whole) {
      this.waiting.hidden = true;
      this.place.hidden = true;
      this.ariaBusy = null;
      this.words.textContent = words;
      this.again.hidden = !this.connection?.answered || reason === "not-allowed" || reason === "old";
      this.trouble.hidden = false;
    }
    this.failed(reason, words);
    if (!whole) return;
    this.unshown?.(new Error(words));
  }

  /** @param {import("./messages.js").ToTag} message */
  hear(message) {
    const frame = /** @type {Connection} */ (this.connection).frame;
    switch (message.say) {
      case "height":
        if (!this.fixed) frame.style.height = `${message.height}px`;
        this.tell("height", { height: message.height });
        break;
      case "look":
        // A frame whose scheme is another than its page's has a ground of its own.
        frame.style.colorScheme = message.dark === null ? "" : message.dark ? "dark" : "light";
        break;
      case "shown": {
        const { dashboard, title, page, pages } = message;
        this.called = title;
        this.size();
        this.arrived();
        this.tell("shown", { dashboard, title, page, pages });
        this.shown?.();
        this.ready = Promise.resolve(); // it may have failed before
        break;
      }
      case "view":
        this.keep(message.view);
        this.tell("view", { view: message.view, page: message.page, words: message.words });
        break;
      case "narrowed":
        this.tell("narrowed", { narrowed: message.narrowed });
        break;
      case "record": {
        const { address } = message;
        if (this.tell("record", { address }, true) && address.startsWith("/") && !address.startsWith("//")) location.assign(address);
        break;
      }
      case "done": {
        const of = this.asked.get(message.id);
        this.asked.delete(message.id);
        message.words ? of?.failed(new Error(message.words)) : of?.done();
      }
    }
  }

  /** The page's own address keeps how the dashboard is looked at, where that is wanted. @param {string} view */
  keep(view) {
    const part = this.getAttribute("keep-view");
    if (!part) return;
    const at = new URL(location.href);
    if (view) at.searchParams.set(part, view);
    else at.searchParams.delete(part);
    history.replaceState(history.state, "", at);
  }

  /** @param {(import("./messages.js").ToFrame & {say: "do"})["what"]} what @param {any} of @returns {Promise<void>} */
  async ask(what, of = null) {
    const { ready } = this;
    if (!ready || !this.isConnected) throw new Error("The tag is not in the page.");
    const { connection } = this;
    await ready;
    if (!connection || connection !== this.connection) throw new Error("The dashboard is no longer shown.");
    const id = ++this.last;
    return new Promise((done, failed) => {
      this.asked.set(id, { done, failed });
      connection.say({ say: "do", id, what, of });
    });
  }

  /** Sets a filter, or with null lifts it. @param {string} name @param {any} value */
  setFilter(name, value) {
    return this.ask("filters", { [name]: value });
  }

  /** Narrows to marks, as an event has told them; to none lifts all. @param {import("./messages.js").Narrowed[]} narrowed */
  narrow(narrowed) {
    return this.ask("narrow", narrowed);
  }

  /** @param {string} page its title */
  goTo(page) {
    return this.ask("page", page);
  }

  /** Reads everything again, and looks anew at how the page looks. */
  refresh() {
    this.restyle();
    return this.ask("refresh");
  }

  /** As its author published it, nothing narrowed. */
  standardView() {
    return this.ask("standard");
  }
}
