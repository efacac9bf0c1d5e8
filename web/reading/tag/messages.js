/**
 * What the tag in a host app's page and the frame of Eskadel in it say to each other: messages of the browser,
 * each with the number of this protocol and with what it says. Either side hears only the other's window, only
 * from an origin that it expects, and only what has the shape that is written here.
 */

/** The number of the protocol. A frame tells a tag that speaks another that it is old. */
export const version = 2;

/**
 * How a dashboard is to be shown.
 * @typedef {{page?: string, widget?: string, view?: string, filters?: Record<string, any>, figures?: string[], language?: string, look?: import("./looks.js").Look}} As
 * Marks that are chosen in a widget. @typedef {{widget: string, marks: object[], words: string, without?: boolean}} Narrowed
 * A key figure. @typedef {{label: string, text: string, exact: string}} Figure
 */

/**
 * What a tag says to its frame.
 * @typedef {{say: "pass", pass: string, as: As}
 * | {say: "no-pass", reason: string, words: string}
 * | {say: "begin"}
 * | {say: "look", look: import("./looks.js").Look}
 * | {say: "do", id: number, what: "filters" | "narrow" | "page" | "widget" | "refresh" | "standard", of: any}
 * | {say: "figures", widgets: string[]}
 * | {say: "lead", dashboards: string[], anew: boolean}
 * | {say: "changed", dashboard: string, widgets: string[], lost: boolean}
 * | {say: "again"}} ToFrame
 */

/**
 * What a frame says to its tag.
 * @typedef {{say: "pass-wanted"}
 * | {say: "height", height: number}
 * | {say: "look", dark: boolean | null}
 * | {say: "shown", dashboard: string, title: string, page: string, pages: string[]}
 * | {say: "view", view: string, page: string, words: string}
 * | {say: "narrowed", narrowed: Narrowed[]}
 * | {say: "record", address: string}
 * | {say: "failed", reason: string, words: string, whole: boolean}
 * | {say: "done", id: number, words: string}
 * | {say: "figures", widget: string, sentence: string, figures: Figure[]}
 * | {say: "follow", dashboard: string}
 * | {say: "changed", dashboard: string, widgets: string[], lost: boolean}
 * | {say: "again"}} ToTag
 */

/** What a part of a message may be. @type {Record<string, (v: any) => boolean>} */
const kinds = {
  text: (v) => typeof v === "string",
  number: (v) => Number.isFinite(v),
  yes: (v) => typeof v === "boolean",
  "yes or nothing": (v) => v === null || typeof v === "boolean",
  texts: (v) => Array.isArray(v) && v.every((t) => typeof t === "string"),
  list: Array.isArray,
  things: (v) => !!v && typeof v === "object" && !Array.isArray(v),
  anything: () => true,
};

const both = { changed: { dashboard: "text", widgets: "texts", lost: "yes" }, again: {} };

/** The messages of either way, by what they say. @type {Record<"toFrame" | "toTag", Record<string, Record<string, string>>>} */
export const shapes = {
  toFrame: {
    ...both,
    pass: { pass: "text", as: "things" }, "no-pass": { reason: "text", words: "text" }, begin: {}, look: { look: "things" },
    do: { id: "number", what: "text", of: "anything" }, figures: { widgets: "texts" }, lead: { dashboards: "texts", anew: "yes" },
  },
  toTag: {
    ...both,
    "pass-wanted": {}, height: { height: "number" }, look: { dark: "yes or nothing" }, shown: { dashboard: "text", title: "text", page: "text", pages: "texts" },
    view: { view: "text", page: "text", words: "text" }, narrowed: { narrowed: "list" }, record: { address: "text" }, failed: { reason: "text", words: "text", whole: "yes" },
    done: { id: "number", words: "text" }, figures: { widget: "text", sentence: "text", figures: "list" }, follow: { dashboard: "text" },
  },
};

/** Tells whether something that came is a message of this protocol. @param {"toFrame" | "toTag"} way @param {any} data */
export function fits(way, data) {
  const shape = data?.eskadel === version && Object.hasOwn(shapes[way], String(data.say)) && shapes[way][data.say];
  return !!shape && Object.entries(shape).every(([part, kind]) => kinds[kind](data[part]));
}

/**
 * Hears what a window says, if it is one of these origins.
 * @param {"toFrame" | "toTag"} way @param {() => Window | null | undefined} from @param {string[]} origins @param {(message: any, origin: string) => void} heard
 * @returns {() => void} ends it
 */
export function hear(way, from, origins, heard) {
  /** @param {MessageEvent} e */
  const listen = (e) => {
    if (e.source && e.source === from() && origins.includes(e.origin) && fits(way, e.data)) heard(e.data, e.origin);
  };
  addEventListener("message", listen);
  return () => removeEventListener("message", listen);
}

/** Says something to a window, which hears it only if it is of that origin. @param {Window} to @param {string} origin @param {ToFrame | ToTag} message */
export const say = (to, origin, message) => to.postMessage({ ...message, eskadel: version }, origin);
