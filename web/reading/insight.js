/** Widgets by themselves that are asked for once they come into sight. */
import { Widget } from "./widget.js";

/**
 * Draws each place once it comes into sight, with what is answered for it.
 * @param {Iterable<Element>} places @param {(place: HTMLElement) => Promise<any>} ask
 */
export function inSight(places, ask) {
  /** @param {HTMLElement} place */
  const show = async (place) => {
    const widget = new Widget(place, { choose: () => {}, records: () => {} });
    widget.busy();
    try {
      widget.show(await ask(place));
    } catch (error) {
      widget.fail(/** @type {Error} */ (error).message, () => void show(place));
    }
  };
  const seen = new IntersectionObserver((entries) => {
    for (const e of entries) {
      if (!e.isIntersecting) continue;
      seen.unobserve(e.target);
      void show(/** @type {HTMLElement} */ (e.target));
    }
  }, { rootMargin: "300px" });
  for (const place of places) seen.observe(place);
}
