/**
 * Asking the server. In a page of Eskadel's own the session's token goes with each
 * request; in a frame the viewer's bearer token does.
 */

/** @type {{bearer: string, renew: (() => Promise<void>) | null}} */
export const who = { bearer: "", renew: null };

/** A failed request, in words for people. */
export class Trouble extends Error {
  /** @param {string} words @param {number} status @param {string} place @param {any} [about] what else is told of it */
  constructor(words, status, place, about) {
    super(words);
    this.status = status;
    this.place = place;
    this.about = about;
  }
}

/** @returns {Record<string, string>} */
export function headers() {
  if (who.bearer) return { Authorization: `Bearer ${who.bearer}` };
  return { "X-CSRF-Token": document.body.dataset.csrf ?? "" };
}

/** How many characters a request may have that outlives its page: browsers allow 64 kB. */
const mostKept = 60_000;

/**
 * Posts fields and returns the answer. A viewer whose stay has ended gets a new pass
 * once, without noticing.
 * @param {string} path @param {Record<string, string> | FormData | [string, FormDataEntryValue][]} fields @param {{json?: boolean, file?: (done: number, of: number) => void, signal?: AbortSignal, last?: boolean}} [how] with file the answer is one, with its name, and how much of it there is, is told; with last it is carried out even if the page is left, where it is not too large for that
 * @returns {Promise<any>}
 */
export async function post(path, fields, how = {}) {
  const body = new URLSearchParams(/** @type {any} */ (fields));
  const ask = () => fetch(path, {
    method: "POST",
    keepalive: !!how.last && body.toString().length < mostKept,
    headers: { ...headers(), "Content-Type": "application/x-www-form-urlencoded", Accept: how.json ? "application/json" : "text/html", "HX-Request": how.json ? "" : "true", ...(how.file ? { "X-Progress": "yes" } : {}) },
    body,
    signal: how.signal,
  });
  let response;
  try {
    response = await ask();
    if (response.status === 401 && who.renew) {
      await who.renew();
      response = await ask();
    }
  } catch (error) {
    if (error instanceof DOMException || error instanceof Trouble) throw error;
    throw new Trouble("Eskadel does not answer. This is tried again by itself.", 503, "");
  }
  if (!response.ok) {
    const text = await response.text();
    let words = "Something went wrong here.", place = "", about;
    try {
      about = JSON.parse(text);
      ({ detail: words, place } = about);
    } catch {
      words = new DOMParser().parseFromString(text, "text/html").body.textContent?.trim() || words;
    }
    throw new Trouble(words, response.status, place, about);
  }
  const redirect = response.headers.get("HX-Redirect");
  if (redirect) {
    // An address that differs only behind the # would not load the page again.
    location.assign(redirect);
    return "";
  }
  if (how.file) return received(response, how.file);
  return how.json ? response.json() : response.text();
}

/**
 * A file that is answered, as it is or after lines of JSON that say how much of it there is, the last of
 * which has its name or what went wrong. @param {Response} response @param {(done: number, of: number) => void} told
 */
async function received(response, told) {
  if (!response.headers.get("Content-Type")?.startsWith("application/x-eskadel-file")) {
    return { blob: await response.blob(), name: response.headers.get("Content-Disposition")?.match(/filename="([^"]+)"/)?.[1] ?? "file" };
  }
  const reader = /** @type {ReadableStream<Uint8Array<ArrayBuffer>>} */ (response.body).getReader(), decoder = new TextDecoder();
  /** @type {{name: string, type: string} | null} */
  let file = null;
  /** @type {Uint8Array<ArrayBuffer>[]} */
  const parts = [];
  let rest = new Uint8Array();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    if (file) {
      parts.push(value);
      continue;
    }
    const all = new Uint8Array(rest.length + value.length);
    all.set(rest);
    all.set(value, rest.length);
    rest = all;
    for (let end; !file && (end = rest.indexOf(10)) >= 0; rest = rest.slice(end + 1)) {
      const line = JSON.parse(decoder.decode(rest.subarray(0, end)));
      if (line.wrong) throw new Trouble(line.wrong, 500, "");
      if (line.name) file = line;
      else told(line.done, line.of);
    }
  }
  if (!file) throw new Trouble("The file broke off while it came. Try again.", 503, "");
  return { blob: new Blob([rest, ...parts], { type: file.type }), name: file.name };
}

/** Says something to those who do not see the page. @param {string} words */
export function say(words) {
  const said = document.getElementById("said");
  if (said) said.textContent = words;
}

/** Puts server-rendered HTML into a place. The policy lets nothing in it run. @param {Element} place @param {string} html */
export function fill(place, html) {
  place.innerHTML = html;
}

/**
 * Fills a place anew in which somebody may be at work: the focus stays, and so does what is being
 * typed there, which is kept when the field is left. @param {Element} place @param {string} html
 */
export function refill(place, html) {
  const was = /** @type {HTMLInputElement | null} */ (place.contains(document.activeElement) ? document.activeElement : null);
  fill(place, html);
  const now = /** @type {HTMLInputElement | null} */ (was && (was.id ? document.getElementById(was.id) : was.name && place.querySelector(`[name="${CSS.escape(was.name)}"]`)));
  if (!was || !now) return;
  now.focus();
  if (!was.matches("textarea, input:not([type=checkbox], [type=radio])")) return;
  const typed = was.value, changed = typed !== was.defaultValue;
  if (changed) now.value = typed;
  if (was.selectionStart !== null && now.value === typed) now.setSelectionRange(was.selectionStart, was.selectionEnd); // what is chosen is about to be typed over
  if (changed) now.addEventListener("blur", () => { if (now.value === typed) now.dispatchEvent(new Event("change", { bubbles: true })); }, { once: true });
}

/** A word that does something. @param {string} text @param {(e: MouseEvent) => void} act */
export function button(text, act) {
  const out = document.createElement("button");
  out.type = "button";
  out.className = "plain";
  out.textContent = text;
  out.addEventListener("click", act);
  return out;
}
