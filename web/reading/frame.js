/**
 * A dashboard within a host app's page, or key figures that the page shows itself. It takes the viewer pass only
 * from the page that holds the frame, and only if that page is of a registered origin; it keeps the bearer token in
 * memory and stores nothing.
 */
import { Trouble, who } from "../page/api.js";
import { Figures } from "./figures.js";
import { Following } from "./following.js";
import { Sheet } from "./sheet.js";
import { hear, say } from "./tag/messages.js";

const root = /** @type {HTMLElement} */ (document.getElementById("reading"));
const { dashboard = "", app = "" } = root.dataset;
/** @type {string[]} */
const origins = JSON.parse(root.dataset.origins ?? "[]");
/** The origin of the page that holds the frame, where the browser tells or the page has spoken. */
let host = location.ancestorOrigins?.[0] ?? "";

/** Tells the host page; only a page of a registered origin hears it. @param {import("./tag/messages.js").ToTag} message */
function tell(message) {
  for (const origin of origins.includes(host) ? [host] : origins) say(parent, origin, message);
}

/** Why there is no pass, as the host page said it. */
class Refused extends Error {
  /** @param {string} reason @param {string} words */
  constructor(reason, words) {
    super(words);
    this.reason = reason;
  }
}

/** Who waits for a pass. @type {{given: (pass: {pass: string, as: import("./tag/messages.js").As}) => void, refused: (why: Refused) => void} | null} */
let waiting = null;
/** @type {Sheet | null} */
let sheet = null;
/** @type {Figures | null} */
let figures = null;

hear("toFrame", () => parent, origins, (/** @type {import("./tag/messages.js").ToFrame} */ message, origin) => {
  host = origin;
  switch (message.say) {
    case "pass":
      waiting?.given(message);
      break;
    case "no-pass":
      waiting?.refused(new Refused(message.reason, message.words));
      break;
    case "begin":
      void begin();
      break;
    case "look":
      void sheet?.place(JSON.stringify(message.look)).then(placed);
      break;
    case "figures":
      figures?.set(message.widgets);
      break;
    case "lead":
      shared.lead(message.dashboards, message.anew);
      break;
    case "changed":
      shared.hear(message);
      break;
    case "again":
      shared.again();
      break;
    case "do":
      void done(message);
  }
});

/** Does what the host page asks, and says whether it could. @param {import("./tag/messages.js").ToFrame & {say: "do"}} asked */
async function done({ id, what, of }) {
  let words = "";
  try {
    await sheet?.asked(what, of);
  } catch (error) {
    words = /** @type {Error} */ (error).message;
    const reason = what === "filters" ? "filters" : what === "page" || what === "widget" ? "page" : "trouble";
    tell({ say: "failed", reason, words, whole: false });
  }
  tell({ say: "done", id, words });
}

/**
 * Hearing of changes together with the other frames of the page: one of them hears for all. The page says which,
 * and passes on what it has heard.
 */
class Shared {
  /** @param {{changed: (e: {widgets: string[], lost: boolean}) => void, again: () => void}} told */
  constructor(told) {
    this.told = told;
    /** @type {Following | null} */
    this.leading = null;
  }

  start() {
    tell({ say: "follow", dashboard });
  }

  stop() {
    tell({ say: "follow", dashboard: "" });
  }

  again() {
    this.told.again();
  }

  /** @param {{dashboard: string, widgets: string[], lost: boolean}} e */
  hear(e) {
    if (e.dashboard === dashboard) this.told.changed(e);
  }

  /** Hears of the changes of so many dashboards for all; of none no more. @param {string[]} dashboards @param {boolean} anew there was a stream before, and changes may have been missed since */
  lead(dashboards, anew) {
    this.leading?.stop();
    this.leading = null;
    if (!dashboards.length) return;
    const others = dashboards.filter((d) => d !== dashboard).map((d) => `with=${encodeURIComponent(d)}`).join("&");
    this.leading = new Following(() => `/view/${encodeURIComponent(dashboard)}/live?${others}`, {
      changed: (e) => {
        this.hear(e);
        tell({ say: "changed", dashboard: e.dashboard, widgets: e.widgets, lost: e.lost });
      },
      again: () => {
        this.again();
        tell({ say: "again" });
      },
    });
    void this.leading.start(anew);
  }
}

/** @type {Shared} */
let shared;
/** @param {{changed: (e: any) => void, again: () => void}} told */
const following = (told) => (shared = new Shared(told));
following({ changed: () => {}, again: () => {} });

/** Says why nothing is shown: the page around has it in its own letters. @param {Error} error */
function refuse(error) {
  tell({ say: "failed", reason: error instanceof Refused ? error.reason : error instanceof Trouble && error.place === "pass" ? "refused" : "trouble", words: error.message, whole: true });
}

/** What the page's look comes to. @param {{dark?: boolean | null, wrong?: string[] | null}} look */
function placed(look) {
  tell({ say: "look", dark: look.dark ?? null });
  for (const words of look.wrong ?? []) tell({ say: "failed", reason: "look", words, whole: false });
}

/** @type {Promise<any> | null} */
let renewing = null;

/** Asks the host page for a viewer pass and exchanges it. @param {boolean} [first] with the first sheet */
function renew(first) {
  renewing ??= (async () => {
    /** @type {{pass: string, as: import("./tag/messages.js").As}} */
    const { pass, as } = await new Promise((given, refused) => {
      waiting = { given, refused };
      tell({ say: "pass-wanted" });
    });
    const { page = "", widget = "", view = "", filters, look } = as, wanted = first && !as.figures ? { page, widget, view, filters, look: JSON.stringify(look) } : {};
    const response = await fetch(`/embed/${encodeURIComponent(app)}/${encodeURIComponent(dashboard)}/session`, {
      method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify({ pass, origin: host, language: as.language ?? "", ...wanted }),
    });
    const answer = await response.json();
    if (!response.ok) throw new Trouble(answer.detail, response.status, "pass");
    who.bearer = answer.bearer;
    const left = new Date(answer.expires).getTime() - Date.now();
    setTimeout(() => void renew().catch(failed), Math.max(1000, left - Math.min(30000, left / 4)));
    return { as, answer };
  })().finally(() => { renewing = null; });
  return renewing;
}

/** A pass that does not come later on leaves what is shown; the host page is told. @param {Error} error */
function failed(error) {
  tell({ say: "failed", reason: error instanceof Refused ? error.reason : "refused", words: error.message, whole: false });
}

who.renew = async () => {
  try {
    await renew();
  } catch (error) {
    failed(/** @type {Error} */ (error));
    throw error;
  }
};

new ResizeObserver(() => tell({ say: "height", height: Math.ceil(document.documentElement.getBoundingClientRect().height) })).observe(document.documentElement);

/** A page that forbids forms forbids filters, too. */
function formless() {
  const form = document.createElement("form");
  let sent = false;
  form.hidden = true;
  form.addEventListener("submit", (e) => {
    e.preventDefault();
    sent = true;
  });
  document.body.append(form);
  form.requestSubmit();
  form.remove();
  return !sent;
}

async function begin() {
  try {
    const { as, answer } = await renew(true);
    if (as.figures) {
      figures ??= new Figures({ dashboard, filters: as.filters ?? {}, following, tell });
      figures.set(as.figures);
      return;
    }
    if (answer.wrong) tell({ say: "failed", reason: "filters", words: answer.wrong, whole: false });
    placed(answer.look ?? {});
    /** @type {string} */
    let narrowed = "[]";
    sheet ??= new Sheet(root, { // one, however often it is tried
      dashboard, page: answer.state?.page ?? as.page ?? "", widget: as.widget, state: answer.state, look: JSON.stringify(as.look), following,
      view: (view, seen) => tell({ say: "view", view, page: seen.page, words: seen.words }),
      noted: (seen) => {
        const now = JSON.stringify(seen.state.narrow);
        if (now !== narrowed) tell({ say: "narrowed", narrowed: JSON.parse(now) });
        narrowed = now;
      },
      opened: (seen) => tell({ say: "shown", dashboard: seen.dashboard, title: seen.words || dashboard, page: seen.page, pages: seen.pages }),
      open: (address) => tell({ say: "record", address }),
    });
    await sheet.open(answer.sheet);
    if (formless()) tell({ say: "failed", reason: "sandbox", words: "This page is shown in a sandbox without allow-forms, in which filters cannot be set.", whole: false });
  } catch (error) {
    refuse(/** @type {Error} */ (error));
  }
}
void begin();
