/**
 * The types of Eskadel's tags, for pages that load them as a module or as a script.
 *
 *   import "https://eskadel.example/eskadel.js";
 *   const tag = document.querySelector("eskadel-dashboard");
 *   tag.addEventListener("eskadel-record", (e) => { e.preventDefault(); open(e.detail.address); });
 */

/** Marks that are chosen in a widget, in the words that they name themselves by. */
export interface Narrowed {
  widget: string;
  marks: object[];
  words: string;
  /** They are left out, rather than all that is left. */
  without?: boolean;
}

/**
 * What a filter is set to: some of its values; dates, such as {last: 4, unit: "week"} or {from: "2026-03-01",
 * to: "2026-03-31"}; numbers from and to; an attribute of the viewer; null for all.
 */
export type Setting = string[] | { last: number; unit: string } | { from?: string; to?: string } | { at_least?: string; at_most?: string } | { viewer: string } | Record<string, unknown> | null;

/** Why something is not shown: a word for programs, and a sentence for whoever is looking. */
export interface Failure {
  reason: "late" | "signed-out" | "no-pass" | "refused" | "not-allowed" | "no-answer" | "old" | "sandbox" | "tag" | "filters" | "look" | "page" | "figure" | "trouble";
  words: string;
}

/** What both tags have. Attributes: home, app, name, pass-url, filters, lang. */
export interface EskadelTag extends HTMLElement {
  /** Promises a viewer pass, in place of the attribute pass-url. */
  getPass: (() => Promise<string> | string) | null;
}

/**
 * A dashboard, one of its pages or a single widget. Attributes besides: page, widget, keep-view, title, height, width,
 * theme, scheme, ground, ink, accent, font, radius, density. The methods wait until it is shown, and are refused with
 * an Error that says why.
 */
export interface EskadelDashboard extends EskadelTag {
  setFilter(name: string, value: Setting): Promise<void>;
  narrow(narrowed: Narrowed[]): Promise<void>;
  goTo(page: string): Promise<void>;
  refresh(): Promise<void>;
  standardView(): Promise<void>;
}

/** A key figure in a sentence. Attributes besides: widget, figure (its name, or which it is, from 1). */
export type EskadelFigure = EskadelTag;

/** The events, which all bubble. */
export interface EskadelEvents {
  "eskadel-shown": CustomEvent<{ dashboard: string; title: string; page: string; pages: string[] }>;
  "eskadel-view": CustomEvent<{ view: string; page: string; words: string }>;
  "eskadel-narrowed": CustomEvent<{ narrowed: Narrowed[] }>;
  /** Unless it is cancelled, the page goes to the address. */
  "eskadel-record": CustomEvent<{ address: string }>;
  "eskadel-height": CustomEvent<{ height: number }>;
  "eskadel-figure": CustomEvent<{ text: string; label: string; exact: string }>;
  "eskadel-failed": CustomEvent<Failure>;
}

declare global {
  interface HTMLElementTagNameMap {
    "eskadel-dashboard": EskadelDashboard;
    "eskadel-figure": EskadelFigure;
  }
  interface HTMLElementEventMap extends EskadelEvents {}
}
