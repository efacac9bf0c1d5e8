/** Viewer passes, from the page's own function or from an address of its own. */

/** How long a page may take to give a pass, in milliseconds. */
const longest = 10_000;

/** Why there is no pass: a word for programs, and a sentence for whoever is looking. */
export class NoPass extends Error {
  /** @param {"late" | "signed-out" | "no-pass"} reason @param {string} words */
  constructor(reason, words) {
    super(words);
    this.reason = reason;
  }
}

/** Where passes come from. @typedef {string | (() => Promise<string> | string)} Source */

/** A pass, or why there is none. @param {Source} source @returns {Promise<string>} */
export async function passFrom(source) {
  const host = location.host;
  /** @type {number} */
  let timer = 0;
  const late = new Promise((_, fail) => {
    timer = window.setTimeout(() => fail(new NoPass("late", `${host} takes longer than ${longest / 1000} seconds to say who is looking.`)), longest);
  });
  try {
    const text = String(await Promise.race([late, typeof source === "string" ? fetched(source, host) : source()]) ?? "").trim();
    // A page of Eskadel’s own, on which a tag is tried, has another proof of who is looking.
    if (!/^[\w-]+\.[\w-]+\.[\w-]+$/.test(text) && !text.startsWith("esa_")) throw new NoPass("no-pass", `${host} answers with something that is not a viewer pass.`);
    return text;
  } catch (error) {
    if (error instanceof NoPass) throw error;
    throw new NoPass("no-pass", `${host} could not say who is looking (${/** @type {Error} */ (error).message}).`);
  } finally {
    clearTimeout(timer);
  }
}

/** @param {string} address @param {string} host */
async function fetched(address, host) {
  const response = await fetch(address, { headers: { Accept: "text/plain" }, signal: AbortSignal.timeout(longest + 1000) });
  // An application that signs people out answers with its own page for signing in.
  if (response.status === 401 || response.status === 403 || /\bhtml\b/.test(response.headers.get("Content-Type") ?? "")) throw new NoPass("signed-out", `You are no longer signed in to ${host}. Sign in there, and load this page again.`);
  if (!response.ok) throw new NoPass("no-pass", `${host} could not say who is looking: its address for passes answers ${response.status}.`);
  return response.text();
}
