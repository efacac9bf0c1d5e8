/**
 * The dashboard editor: the sheet with handles. It holds the draft document, saves each
 * change by itself, and never draws over somebody else's change.
 */
import { fill, post, say, Trouble } from "../page/api.js";
import { History } from "../page/history.js";
import { look } from "../page/look.js";
import { unfold } from "../reading/popover.js";
import { Widget } from "../reading/widget.js";
import { Arranging } from "./arranging.js";
import { Drilling } from "./drilling.js";
import { FilterLine } from "./filters.js";
import { address } from "./folded.js";
import { Look } from "./looking.js";
import { Panel } from "./panel.js";
import { Reach } from "./reach.js";

const editor = /** @type {HTMLElement} */ (document.getElementById("editor"));
const trouble = /** @type {HTMLElement} */ (document.getElementById("trouble"));
const saved = /** @type {HTMLElement} */ (document.getElementById("saved"));
const name = editor.dataset.dashboard ?? "";
let saving = Promise.resolve(), changes = 0;
/** How what is saved next goes together with what the server changed meanwhile. */
let together = "";
let revision = editor.dataset.revision ?? "";
/** @type {any} */
let draft = JSON.parse(editor.dataset.document ?? "{}");
const page = () => draft.pages.find((/** @type {any} */ p) => p.title === editor.dataset.page) ?? draft.pages[0];
const history = new History(JSON.stringify(draft), (document) => {
  draft = JSON.parse(document);
  changes++;
  tellWords();
  void save();
  turn();
}, `${document.querySelector(".who")?.textContent ?? ""} ${name}`);

/** @type {any} */
const grid = /** @type {any} */ (window).GridStack.init({
  column: 12, cellHeight: 74, margin: 0, float: false, animate: false, handle: ".widget-head h2",
  resizable: { handles: "se" }, draggable: { handle: ".widget-head h2" }, columnOpts: { breakpoints: [{ w: 500, c: 1 }], layout: "list" },
}, editor);

/** @type {Map<string, Widget>} */
const widgets = new Map();
/** What was asked of each last. @type {Map<string, object>} */
const asked = new Map();

const pages = /** @type {HTMLElement} */ (document.getElementById("pages")), pageTitle = /** @type {HTMLInputElement} */ (document.getElementById("page-title"));

/** Turns to a page, the one that is there where there is no such, and lays it out. @param {string} [title] */
function turn(title) {
  if (title !== undefined) editor.dataset.page = title;
  editor.dataset.page = page().title;
  pages.replaceChildren(...draft.pages.map((/** @type {any} */ p) => {
    const tab = document.createElement("button");
    tab.type = "button";
    tab.className = "plain";
    tab.textContent = p.title;
    tab.dataset.page = p.title;
    if (p === page()) tab.setAttribute("aria-current", "page");
    return tab;
  }), Object.assign(document.createElement("button"), { type: "button", className: "plain adding", textContent: "+ page" }));
  pageTitle.value = page().title;
  /** @param {string} what @param {boolean} off */
  const off = (what, off) => { /** @type {HTMLButtonElement} */ (document.querySelector(`[data-page-do=${what}]`)).disabled = off; };
  off("earlier", page() === draft.pages[0]);
  off("later", page() === draft.pages[draft.pages.length - 1]);
  off("remove", draft.pages.length === 1);
  const library = /** @type {HTMLAnchorElement} */ (document.querySelector("#add a"));
  library.href = `/charts?${new URLSearchParams({ on: name, page: page().title })}`;
  globalThis.history.replaceState(null, "", `?${new URLSearchParams({ page: page().title })}${location.hash}`);
  lay();
  void line.show();
  void reach.show();
  void drilling.show();
  void looking.show();
}

const panel = new Panel(/** @type {HTMLElement} */ (document.getElementById("panel")), {
  dashboard: name,
  saved: () => saving,
  widget: (id) => widgets.get(id),
  draw: (id) => (find(id) ? show(find(id)) : Promise.resolve(null)),
  keep: (id, chart) => {
    // Its page may have been left meanwhile, or it may have been taken off.
    const w = draft.pages.flatMap((/** @type {any} */ p) => p.widgets).find((/** @type {any} */ x) => x.id === id);
    if (w && JSON.stringify(w.chart) !== chart) changed(() => { w.chart = JSON.parse(chart); });
  },
  make: (tail) => make(address(name, tail), {}),
  made: (id) => {
    lay();
    void panel.open(id, true);
  },
  closed: (id) => /** @type {HTMLElement | null} */ (document.querySelector(`#${CSS.escape(id)} h2`))?.focus(),
});

/** Draws the page anew, as what it is narrowed by has changed. */
function narrowed() {
  page().widgets.forEach((/** @type {any} */ w) => void show(w));
  void reach.show();
}

const popover = /** @type {HTMLElement} */ (document.getElementById("popover"));
const parts = { dashboard: name, page: () => page().title, saved: () => saving, make, changed: narrowed };
const line = new FilterLine(/** @type {HTMLElement} */ (document.getElementById("line")), popover, parts);
const arranging = new Arranging(/** @type {HTMLDetailsElement} */ (document.getElementById("arrange")), /** @type {HTMLElement} */ (document.getElementById("several")), { ...parts, placed: () => lay() });
const drilling = new Drilling(/** @type {HTMLDetailsElement} */ (document.getElementById("drilling")), popover, parts);
const looking = new Look(/** @type {HTMLDetailsElement} */ (document.getElementById("look")), parts);
const reach = new Reach(/** @type {HTMLDetailsElement} */ (document.getElementById("reach")), popover, parts);

/**
 * Has the server change the draft, and holds what it is then; answers with what else is told,
 * or with nothing where it could not be done, which is said.
 * @param {string} path @param {any} fields @param {(words: string) => void} [wrong]
 */
async function make(path, fields, wrong = (words) => { trouble.textContent = words; }) {
  let now = null;
  const before = changes;
  saving = saving.then(async () => { // one after the other, so that each is made from what the last left
    try {
      const made = await post(path, fields, { json: true });
      trouble.textContent = "";
      now = made;
      if (changes !== before) together = "both"; // something was changed here meanwhile, and is about to be saved
      if (together) return;
      revision = made.revision;
      draft = made.document;
      look(made.look);
      history.add(JSON.stringify(draft));
      savedNow();
    } catch (error) {
      wrong(/** @type {Error} */ (error).message);
    }
  });
  await saving;
  return /** @type {any} */ (now);
}

/** Adds, names, moves, copies or takes off a page. @param {string} what @param {string} [title] */
async function changePage(what, title = "") {
  const now = await make(address(name, "pages"), { do: what, page: page().title, title });
  if (!now) {
    pageTitle.value = page().title;
    return;
  }
  turn(now.page);
  /** @type {HTMLElement | null} */ (pages.querySelector("[aria-current]"))?.focus();
  say({ add: "A page is added.", copy: "The page is copied.", remove: "The page is taken off; undo brings it back." }[what] ?? "");
}
pages.addEventListener("click", (e) => {
  const tab = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
  if (!tab) return;
  if (tab.dataset.page === undefined) void changePage("add");
  else {
    turn(tab.dataset.page);
    /** @type {HTMLElement | null} */ (pages.querySelector("[aria-current]"))?.focus();
  }
});
document.getElementById("page-parts")?.addEventListener("click", (e) => {
  const what = /** @type {HTMLElement} */ (e.target).dataset.pageDo;
  if (what) void changePage(what);
});
pageTitle.addEventListener("change", () => void changePage("name", pageTitle.value));

/** Lays all widgets of the page out anew. */
function lay() {
  laying = true;
  dragged = ""; // what was dragged is gone
  grid.removeAll();
  widgets.clear();
  laidIn = grid.getColumn();
  let below = 0;
  // As they are read; a narrow window has one column.
  const order = [...page().widgets].sort((a, b) => a.at[1] - b.at[1] || a.at[0] - b.at[0]);
  for (const w of order) {
    const [x, y, width, height] = w.at;
    const item = grid.addWidget({ id: w.id, ...(laidIn === 1 ? { x: 0, y: below, w: 1 } : { x, y, w: width, minW: 2 }), h: height });
    below += height;
    const content = item.querySelector(".grid-stack-item-content");
    content.append(face(w));
    show(w);
  }
  laying = false;
  panel.follow(!!find(panel.id)?.chart);
  arranging.chosen.forEach((id) => find(id) ?? arranging.chosen.delete(id));
  arranging.mark();
  void arranging.show();
  /** @type {HTMLElement} */ (document.getElementById("page-empty")).hidden = page().widgets.length > 0;
  /** @type {HTMLElement} */ (document.getElementById("drag-hint")).hidden = page().widgets.length === 0;
}
let laying = false, laidIn = 12;
/** One of several chosen widgets that is dragged: the others follow it. */
let dragged = "";

/** @param {any} w */
function face(w) {
  const section = document.createElement("section");
  section.className = "widget";
  section.id = w.id;
  const head = document.createElement("div");
  head.className = "widget-head";
  const title = document.createElement("h2");
  title.tabIndex = 0;
  title.setAttribute("aria-description", "Arrow keys move the widget, Shift with arrow keys sizes it, Enter opens its sentence, Delete takes it off.");
  title.textContent = w.text ? called(w.text) : "…";
  title.addEventListener("keydown", (e) => key(e, w.id));
  const words = document.createElement("span");
  words.className = "widget-words";
  if (w.chart) {
    const change = document.createElement("button");
    change.className = "plain";
    change.textContent = "change";
    change.addEventListener("click", () => void panel.open(w.id, true));
    words.append(change, " ", sharing(w), " ");
  }
  section.addEventListener("mousedown", (e) => { if (e.shiftKey) e.preventDefault(); }); // which would choose text
  section.addEventListener("click", (e) => {
    if (e.shiftKey) arranging.toggle(w.id);
    else if (w.chart) {
      if (panel.id !== w.id && !/** @type {HTMLElement} */ (e.target).closest("button, input, select, a")) void panel.open(w.id, false);
    }
  });
  if (w.text && called(w.text) === "Text") {
    const help = document.createElement("button");
    help.className = "plain";
    help.textContent = "how words are set";
    help.addEventListener("click", () => {
      unfold(popover, help, /** @type {HTMLTemplateElement} */ (document.getElementById("text-help")).innerHTML);
      popover.tabIndex = -1;
      popover.focus();
    });
    words.append(help, " ");
  }
  const remove = document.createElement("button");
  remove.className = "plain";
  remove.textContent = "take off";
  remove.addEventListener("click", () => take(w.id));
  words.append(remove);
  head.append(title, words);
  const body = document.createElement("div");
  body.className = "widget-body";
  section.append(head, body);
  if (w.text) {
    body.append(...told(w));
  } else {
    widgets.set(w.id, new Widget(section, { choose: () => {}, records: () => {} }));
  }
  return section;
}

/** The control that has a chart share the scale and order of others on the page. @param {any} w */
function sharing(w) {
  const label = document.createElement("label");
  label.className = "shares";
  label.hidden = true;
  label.title = "Charts that name the same here share the scale of their values and the order of their groups.";
  const input = document.createElement("input");
  input.value = w.scale ?? "";
  input.placeholder = "own";
  input.autocomplete = "off";
  input.maxLength = 20;
  input.addEventListener("change", () => {
    const before = find(w.id).scale;
    changed(() => {
      const name = input.value.trim();
      if (name) find(w.id).scale = name;
      else delete find(w.id).scale;
    });
    const now = find(w.id).scale;
    void saving.then(() => page().widgets.forEach((/** @type {any} */ other) => {
      if (other.id === w.id || other.scale && (other.scale === before || other.scale === now)) void show(other);
    }));
  });
  label.append("scale ", input);
  return label;
}

/** A text that is one picture or one link, and nothing else. */
const single = /^(!?)\[([^\]]*)\]\(([^)\s]*)\)\s*$/;

/** What a widget of words is called. @param {string} text */
function called(text) {
  if (text.trim() === "---") return "Divider";
  const mark = single.exec(text)?.[1];
  return mark === undefined ? "Text" : mark ? "Image" : "Link";
}

/** The fields of a widget of words: a picture and a link have words and an address, any other text is one. @param {any} w */
function told(w) {
  if (w.text.trim() === "---") return [document.createElement("hr")];
  const [, mark, ...now] = single.exec(w.text) ?? [];
  if (mark === undefined) {
    const text = document.createElement("textarea");
    text.className = "widget-text-input";
    text.value = w.text;
    text.setAttribute("aria-label", "Text");
    text.addEventListener("change", () => changed(() => { find(w.id).text = text.value || " "; }));
    return [text];
  }
  return [mark ? "What it shows" : "Words", "Address"].map((name, part) => {
    const label = document.createElement("label"), input = document.createElement("input");
    label.className = "told";
    input.className = "form-control";
    input.value = now[part];
    input.addEventListener("change", () => changed(() => {
      now[part] = part === 0 ? input.value.trim().replace(/[[\]]/g, "") : input.value.trim().replace(/\s/g, encodeURIComponent).replace(/\(/g, "%28").replace(/\)/g, "%29");
      find(w.id).text = `${mark}[${now[0]}](${now[1]})`;
    }));
    label.append(name, input);
    return label;
  });
}

/** @param {string} id */
const find = (id) => page().widgets.find((/** @type {any} */ w) => w.id === id);

/** @param {any} w */
async function show(w) {
  const widget = widgets.get(w.id);
  if (!widget) return null;
  widget.busy();
  const mine = {};
  asked.set(w.id, mine);
  await saving; // what is drawn is the draft that is kept
  /** Whether it has been laid out, or asked for, anew meanwhile. */
  const stale = () => widgets.get(w.id) !== widget || asked.get(w.id) !== mine;
  try {
    if (w.chart && !w.chart.dataset && !w.chart.library) throw new Trouble("This chart has no records yet: choose which, or take it off.", 422, "");
    const answer = await post(`/view/${encodeURIComponent(name)}/widgets/${encodeURIComponent(w.id)}`, { draft: "yes" }, { json: true });
    if (stale()) return null;
    widget.show(answer);
    const shares = /** @type {HTMLElement | null} */ (document.querySelector(`#${CSS.escape(w.id)} .shares`));
    if (shares) shares.hidden = !answer.drawing?.axis?.ticks?.length; // only what has a scale can share it
    return answer;
  } catch (error) {
    if (!stale()) widget.fail(/** @type {Error} */ (error).message, () => void show(w));
    return null;
  }
}

/** Makes a change to the draft and saves it. @param {() => void} how */
function changed(how) {
  changes++;
  how();
  history.add(JSON.stringify(draft));
  void save();
}

/** The fields of the page that hold words of the document. */
const words = [["dashboard-title", "title"], ["answers", "answers"], ["about", "about"]];
function tellWords() {
  readers.forEach((r) => { r.checked = (draft.viewers_may ?? []).includes(r.value); });
  for (const [id, part] of words) /** @type {HTMLInputElement} */ (document.getElementById(id)).value = draft[part] ?? "";
}

/** What readers may do besides reading. */
const readers = /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll("#readers input")]);
readers.forEach((tick) => tick.addEventListener("change", () => changed(() => {
  draft.viewers_may = readers.filter((r) => r.checked).map((r) => r.value);
})));

let again = 0;
const savedNow = () => { saved.textContent = `draft saved ${new Date().toTimeString().slice(0, 5)}`; };
/** Saves the draft. @param {string} [resolve] what is done where others changed it meanwhile */
function save(resolve = "") {
  clearTimeout(again);
  saved.textContent = "saving …";
  saving = saving.then(async () => {
    try {
      const how = resolve || together;
      together = "";
      const kept = await post(address(name, "draft"), { document: JSON.stringify(draft), revision: String(revision), resolve: how }, { json: true, last: true });
      revision = kept.revision;
      look(kept.look);
      savedNow();
      trouble.textContent = "";
      unkept.replaceChildren();
      if (kept.document) {
        draft = kept.document;
        history.add(JSON.stringify(draft));
        tellWords();
        turn();
      }
    } catch (error) {
      saved.textContent = "not saved";
      const { message, status, about } = /** @type {Trouble} */ (error);
      trouble.textContent = message;
      if (status === 412) ask(about);
      if (status >= 500) again = window.setTimeout(() => void save(resolve), 2000); // what does not answer is asked again
    }
  });
  return saving;
}

const unkept = /** @type {HTMLElement} */ (document.getElementById("unkept"));

/** Tells what others changed meanwhile, and asks what is to be kept. @param {any} about */
function ask(about) {
  const section = document.createElement("section");
  section.className = "unkept";
  section.setAttribute("aria-label", "Not kept yet");
  /** @param {string} words @param {string[]} list */
  const tell = (words, list) => {
    if (!list?.length) return;
    const p = document.createElement("p"), ul = document.createElement("ul");
    p.textContent = words;
    ul.className = "plain-list";
    ul.append(...list.map((item) => Object.assign(document.createElement("li"), { textContent: item })));
    section.append(p, ul);
  };
  tell("What was changed meanwhile:", [...(about?.changes ?? []), ...(about?.more ? [`and ${about.more} other things`] : [])]);
  tell("What you changed:", about?.mine ?? []);
  tell("Both changed:", about?.clashes ?? []);
  const choices = document.createElement("div");
  choices.className = "inline-form";
  /** @param {string} words @param {string} kind @param {() => void} how */
  const choice = (words, kind, how) => {
    const button = document.createElement("button");
    button.className = kind;
    button.textContent = words;
    button.addEventListener("click", how);
    choices.append(button, " ");
    return button;
  };
  const first = about?.both ? choice("Keep both changes", "main", () => void save("both")) : choice("Keep mine where both changed something", "main", () => void save("mine"));
  choice("leave it as it is now, without mine", "plain", () => location.reload());
  section.append(choices);
  unkept.replaceChildren(section);
  first.focus();
}

grid.on("dragstart", (/** @type {Event} */ _, /** @type {any} */ item) => {
  const id = item.gridstackNode?.id ?? "";
  dragged = laidIn > 1 && arranging.together(id) ? id : "";
});
grid.on("dragstop", (/** @type {Event} */ _, /** @type {any} */ item) => {
  if (!dragged) return;
  const [x, y] = find(dragged).at, node = item.gridstackNode;
  setTimeout(async () => { // after what the grid makes of it
    await arranging.shift(node.x - x, node.y - y);
    dragged = "";
  });
});

/** Keeps where the widgets are. */
function placed() {
  if (laying || dragged) return;
  if (grid.getColumn() !== laidIn) return lay(); // the window is of another width: the places are those of the draft
  if (laidIn === 1) return;
  changed(() => {
    for (const n of grid.engine.nodes) {
      const w = find(n.id);
      if (w) w.at = [n.x, n.y, n.w, n.h];
    }
  });
}

/** @param {string} id */
function take(id) {
  changed(() => { page().widgets = page().widgets.filter((/** @type {any} */ w) => w.id !== id); });
  lay();
  say("Taken off; undo brings it back.");
}

/** Moves and sizes by the keyboard. @param {KeyboardEvent} e @param {string} id */
function key(e, id) {
  const step = /** @type {Record<string, number[]>} */ ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] })[e.key];
  if (e.key === "Delete") {
    take(id);
  } else if (e.key === "Enter" && e.shiftKey) {
    arranging.toggle(id);
  } else if (e.key === "Enter" && find(id).chart) {
    void panel.open(id, true);
  } else if (step && !e.shiftKey && arranging.together(id)) {
    void arranging.shift(step[0], step[1]).then(() => /** @type {HTMLElement | null} */ (document.querySelector(`#${CSS.escape(id)} h2`))?.focus());
  } else if (step) {
    const node = grid.engine.nodes.find((/** @type {any} */ n) => n.id === id);
    if (e.shiftKey) grid.update(node.el, { w: Math.max(2, Math.min(12 - node.x, node.w + step[0])), h: Math.max(1, node.h + step[1]) });
    else grid.update(node.el, { x: Math.max(0, Math.min(12 - node.w, node.x + step[0])), y: Math.max(0, node.y + step[1]) });
    say(`column ${node.x + 1}, row ${node.y + 1}, ${node.w} wide, ${node.h} high`);
  } else {
    return;
  }
  e.preventDefault();
}

// What is added is chosen at once, on the page that is seen.
document.getElementById("add")?.addEventListener("click", async (e) => {
  const what = /** @type {HTMLElement} */ (e.target).dataset.add;
  if (!what) return;
  const now = await make(address(name, "add"), { page: page().title, what });
  if (!now) return;
  /** @type {HTMLDetailsElement} */ (document.getElementById("add")).open = false;
  panel.close();
  turn();
  if (find(now.widget).chart) await panel.open(now.widget, true);
  else /** @type {HTMLElement | null} */ (document.querySelector(`#${CSS.escape(now.widget)} :is(textarea, input)`))?.focus();
});

grid.on("change", placed);
new ResizeObserver(() => setTimeout(() => {
  if (grid.getColumn() !== laidIn) lay();
}, 250)).observe(editor);
for (const [id, part] of words) {
  document.getElementById(id)?.addEventListener("change", (e) => {
    const value = /** @type {HTMLInputElement} */ (e.target).value.trim();
    changed(() => {
      if (value || part === "title") draft[part] = value;
      else delete draft[part];
    });
  });
}
// Who else works on it is said, and what they change is taken over where nothing is under way here.
const others = /** @type {HTMLElement} */ (document.getElementById("others"));
const windowName = `${Date.now()}-${Math.random()}`.slice(0, 40);
async function here() {
  if (document.hidden) return;
  await saving;
  const mine = revision, made = changes;
  let now;
  try {
    now = await post(address(name, "here"), { window: windowName, revision: String(mine) }, { json: true });
  } catch {
    return; // saving says what is wrong
  }
  others.textContent = now.others.length ? `· also open to ${now.others.join("; ")}` : "";
  if (!now.document || mine !== revision || made !== changes || unkept.childElementCount > 0) return;
  if (document.activeElement?.matches("input:not([type=checkbox]), textarea, select") || popover.matches(":popover-open")) return; // what is typed comes first
  revision = now.revision;
  draft = now.document;
  history.add(JSON.stringify(draft));
  tellWords();
  turn();
  saved.textContent = `changed by ${now.by}`;
  say(`${now.by} changed this dashboard.`);
}
setInterval(() => void here(), 15_000);
document.addEventListener("visibilitychange", () => void here());
void here();

const publishing = /** @type {HTMLDialogElement} */ (document.getElementById("publishing"));
document.getElementById("publish")?.addEventListener("click", async () => {
  await saving;
  try {
    fill(publishing, await post(address(name, "publishing"), {}));
  } catch (error) {
    trouble.textContent = /** @type {Error} */ (error).message;
    return;
  }
  publishing.showModal();
  /** @type {HTMLElement | null} */ (publishing.querySelector("[data-publish]:not(:disabled)") ?? publishing.querySelector("[data-lead]"))?.focus();
});
publishing.addEventListener("click", async (e) => {
  const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"));
  if (!button) return;
  publishing.close();
  const { page: title, lead, filter, way } = button.dataset;
  if (title !== undefined && title !== page().title) turn(title);
  if (lead) seek(lead);
  if (filter) void line.unfold(filter);
  if (way) void drilling.lead(way);
  if (!("publish" in button.dataset)) return;
  try {
    await post(address(name, "publish"), {});
  } catch (error) {
    trouble.textContent = /** @type {Error} */ (error).message;
  }
});

/** Shows a widget of the page and opens what it says. @param {string} id */
function seek(id) {
  const place = document.getElementById(id);
  place?.scrollIntoView({ block: "center" });
  /** @type {HTMLElement | null} */ (place?.querySelector("h2"))?.focus();
  if (find(id)?.chart) void panel.open(id, true);
}
// A widget that an address leads to is seen on the page where it stands.
const led = location.hash.slice(1);
look(editor.dataset.look ?? "");
tellWords();
turn(draft.pages.find((/** @type {any} */ p) => p.widgets.some((/** @type {any} */ w) => w.id === led))?.title);
const wanted = location.hash && document.getElementById(location.hash.slice(1));
if (wanted) {
  wanted.scrollIntoView({ block: "center" });
  /** @type {HTMLElement | null} */ (wanted.querySelector("h2"))?.focus();
}
