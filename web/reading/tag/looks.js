/** How the page around a tag looks, as the browser has worked it out, so that a dashboard can be at home in it. */

/**
 * What is said of it: colours, fonts and lengths in the words of style sheets.
 * @typedef {{behind?: string, scheme?: string, ground?: string, clear?: boolean, ink?: string, accent?: string, font?: string, radius?: string, density?: string}} Look
 */

/** What a page can say itself, by an attribute of the tag or by a custom property such as --eskadel-ink. */
export const said = ["scheme", "ground", "ink", "accent", "font", "radius", "density"];

/** How the page around a tag looks. @param {HTMLElement} tag @param {HTMLElement} probe within the tag @returns {Look} */
export function lookOf(tag, probe) {
  const style = getComputedStyle(tag), { behind, pictured } = ground(tag);
  /** @type {Look} */
  const look = { behind };
  if (tag.getAttribute("theme") === "host") Object.assign(look, { ground: behind, ...(pictured ? { clear: true } : {}), ink: style.color, font: style.fontFamily, ...(style.accentColor === "auto" ? {} : { accent: style.accentColor }) });
  for (const name of said) {
    const value = tag.getAttribute(name) ?? style.getPropertyValue(`--eskadel-${name}`).trim();
    if (!value) continue;
    if (name === "ground" && value === "transparent") Object.assign(look, { ground: behind, clear: true });
    else Object.assign(look, { [name]: worked(probe, name, value) });
    if (name === "ground" && value !== "transparent") delete look.clear;
  }
  return look;
}

/** What the browser makes of a colour or a length; where it makes nothing of it, the text. @param {HTMLElement} probe @param {string} name @param {string} value */
function worked(probe, name, value) {
  const as = name === "radius" ? "border-top-left-radius" : ["ground", "ink", "accent"].includes(name) ? "color" : "";
  if (!as) return value;
  probe.style.removeProperty(as);
  probe.style.setProperty(as, value);
  const taken = probe.style.getPropertyValue(as) !== "";
  return taken ? getComputedStyle(probe).getPropertyValue(as) : value;
}

/** What the page has behind an element: a colour, and perhaps a picture. @param {Element} of @returns {{behind: string, pictured: boolean}} */
function ground(of) {
  let pictured = false;
  for (let at = /** @type {Element | null} */ (of); at; at = at.parentElement ?? (at.getRootNode() instanceof ShadowRoot ? /** @type {ShadowRoot} */ (at.getRootNode()).host : null)) {
    const { backgroundColor: colour, backgroundImage } = getComputedStyle(at), opaque = /[,/]\s*([\d.]+)\)$/.exec(colour.startsWith("rgb(") ? "" : colour);
    pictured ||= backgroundImage !== "none" || !!opaque && Number(opaque[1]) > 0 && Number(opaque[1]) < 1;
    if (colour !== "transparent" && (!opaque || Number(opaque[1]) >= 0.5)) return { behind: colour, pictured };
  }
  const scheme = getComputedStyle(document.documentElement).colorScheme, dark = /\bdark\b/.test(scheme) && (!/\blight\b/.test(scheme) || matchMedia("(prefers-color-scheme: dark)").matches);
  return { behind: dark ? "#121212" : "#ffffff", pictured }; // as browsers have it where a page says nothing
}

/** Who is told when the page may look otherwise. @type {Set<() => void>} */
const watching = new Set();

let asked = false;
const tell = () => {
  if (asked) return;
  asked = true;
  requestAnimationFrame(() => {
    asked = false;
    watching.forEach((changed) => changed());
  });
};

/** @type {MutationObserver | null} */
let observer = null;
const media = matchMedia("(prefers-color-scheme: dark)");

/** Tells when the page may look otherwise than before. @param {() => void} changed @returns {() => void} ends it */
export function watch(changed) {
  if (watching.size === 0) {
    observer = new MutationObserver(tell);
    observer.observe(document.documentElement, { attributes: true });
    if (document.body) observer.observe(document.body, { attributes: true });
    if (document.head) observer.observe(document.head, { childList: true });
    media.addEventListener("change", tell);
    document.addEventListener("transitionend", tell);
  }
  watching.add(changed);
  return () => {
    watching.delete(changed);
    if (watching.size > 0) return;
    observer?.disconnect();
    media.removeEventListener("change", tell);
    document.removeEventListener("transitionend", tell);
  };
}
