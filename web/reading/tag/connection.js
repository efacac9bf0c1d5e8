/** A frame of Eskadel in a page: it is given viewer passes, and says when it cannot be shown. */
import { hear, say, version } from "./messages.js";
import { NoPass, passFrom } from "./passes.js";
import { follow, passOn } from "./sharing.js";

/** How long the frame may take to say something, in milliseconds: at all, and once it is there. */
const longest = 20_000, soon = 3_000;

/** How long a pass that was fetched ahead is kept, in milliseconds. */
const ahead = 30_000;

/**
 * @typedef {{home: string, app: string, name: string, source: import("./passes.js").Source, as: () => import("./messages.js").As,
 *   heard: (message: import("./messages.js").ToTag) => void, failed: (reason: string, words: string, whole: boolean) => void}} How
 */

export class Connection {
  /** @param {How} how */
  constructor(how) {
    this.how = how;
    const address = new URL(`/embed/${encodeURIComponent(how.app)}/${encodeURIComponent(how.name)}`, how.home);
    address.searchParams.set("v", String(version));
    if (location.origin === address.origin) address.searchParams.set("try", "yes"); // a page of Eskadel's own, on which a builder tries it
    this.origin = address.origin;
    this.frame = document.createElement("iframe");
    this.frame.allow = "fullscreen; clipboard-write";
    this.frame.src = address.href;
    this.deaf = hear("toTag", () => this.frame.contentWindow, [this.origin], (message) => this.hear(message));
    this.silent = window.setTimeout(() => this.unanswered(), longest);
    this.frame.addEventListener("load", () => {
      if (this.answered || this.ended) return;
      clearTimeout(this.silent);
      this.silent = window.setTimeout(() => this.unanswered(), soon);
    });
    /** A pass that is fetched while the frame loads. @type {Promise<string> | null} */
    this.ahead = passFrom(how.source);
    this.ahead.catch(() => {}); // told when the frame asks
    this.stale = window.setTimeout(() => { this.ahead = null; }, ahead); // passes are short-lived
  }

  end() {
    this.ended = true;
    this.deaf();
    clearTimeout(this.silent);
    clearTimeout(this.stale);
    follow(this, "");
    this.frame.remove();
  }

  unanswered() {
    const host = new URL(this.how.home).host;
    this.how.failed("no-answer", `${host} does not answer here: it cannot be reached, or it does not let pages of ${location.origin} show it.`, true);
  }

  /** @param {import("./messages.js").ToFrame} message */
  say(message) {
    const window = this.frame.contentWindow;
    if (window && this.answered && !this.ended) say(window, this.origin, message);
  }

  /** @param {import("./messages.js").ToTag} message */
  hear(message) {
    clearTimeout(this.silent);
    this.answered = true;
    if (message.say === "pass-wanted") void this.hand();
    else if (message.say === "follow") follow(this, message.dashboard);
    else if (message.say === "changed" || message.say === "again") passOn(this, message);
    else if (message.say === "failed") this.how.failed(message.reason, message.words, message.whole);
    else this.how.heard(message);
  }

  /** Hands a viewer pass to the frame, and to no other page. */
  async hand() {
    const coming = this.ahead ?? passFrom(this.how.source);
    this.ahead = null;
    try {
      const pass = await coming;
      this.say({ say: "pass", pass, as: this.how.as() });
    } catch (error) {
      const { reason, message } = /** @type {NoPass} */ (error);
      this.say({ say: "no-pass", reason, words: message });
    }
  }
}
