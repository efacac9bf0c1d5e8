/** What the tags for a dashboard and for a figure have in common: where they are from, and what they are known by. */

/** What says which frame is shown; it comes anew when one of these changes. */
export const named = ["home", "app", "name", "pass-url", "lang"];

export class Tag extends HTMLElement {
  /** Where Eskadel is, unless the tag says otherwise: where its script came from. */
  static home = "";

  constructor() {
    super();
    /** @type {import("./passes.js").Source | null} */
    this.given = null;
    /** @type {Set<string>} */
    this.pending = new Set();
  }

  /** The page's own function that promises a viewer pass, in place of an address. */
  get getPass() {
    return typeof this.given === "function" ? this.given : null;
  }

  set getPass(value) {
    this.given = value;
    this.later("pass-url");
  }

  connectedCallback() {
    // What was set before the script had come stands in the way of what is set by it.
    if (Object.hasOwn(this, "getPass")) {
      const { getPass } = this;
      delete (/** @type {any} */ (this)).getPass;
      this.getPass = getPass;
    }
    this.later("app");
  }

  /** @param {string} name @param {string | null} was @param {string | null} is */
  attributeChangedCallback(name, was, is) {
    if (was !== is) this.later(name);
  }

  /** What is changed together is taken together. @param {string} name */
  later(name) {
    if (this.pending.size === 0) queueMicrotask(() => {
      const { pending } = this;
      this.pending = new Set();
      if (this.isConnected) this.changed(pending);
    });
    this.pending.add(name);
  }

  /** @param {Set<string>} _ the names of what has changed */
  changed(_) {}

  /** Which frame is wanted, or in words why there is none. @returns {{home: string, app: string, name: string, source: import("./passes.js").Source} | {reason: string, words: string, wait: number}} with how long to wait, in milliseconds, whether the page says it yet */
  wanted() {
    if (self.origin === "null") return { reason: "sandbox", words: "This page is shown in a sandbox, which keeps Eskadel from knowing it: its frame needs allow-scripts, allow-same-origin and allow-forms.", wait: 0 };
    const app = this.getAttribute("app") ?? "", name = this.getAttribute("name") ?? "", source = this.given ?? this.getAttribute("pass-url") ?? "";
    if (!app || !name || !source) return { reason: "tag", words: `The tag does not say ${!app ? "which application it is of (app)" : !name ? "which dashboard it shows (name)" : "where viewer passes come from (pass-url)"}.`, wait: 3000 };
    return { home: new URL(this.getAttribute("home") || Tag.home, location.href).origin, app, name, source };
  }

  /** In the manner of which language numbers and dates are written, "" for the workspace's. */
  language() {
    return this.getAttribute("lang") ?? "";
  }

  /** The conditions that the page sets, by the names of filters. @returns {Record<string, any> | null} null where they cannot be read */
  filters() {
    try {
      return JSON.parse(this.getAttribute("filters") || "{}");
    } catch {
      return null;
    }
  }

  /** @param {string} name @param {object} [detail] @param {boolean} [cancelable] */
  tell(name, detail = {}, cancelable = false) {
    return this.dispatchEvent(new CustomEvent(`eskadel-${name}`, { bubbles: true, composed: true, cancelable, detail }));
  }

  /** @param {string} reason @param {string} words */
  failed(reason, words) {
    this.tell("failed", { reason, words });
  }
}

/** Styles that no policy of the page forbids. @param {string} css */
export function styles(css) {
  const out = new CSSStyleSheet();
  out.replaceSync(css);
  return out;
}
