/** What may be done with a mark: narrow to it, leave it out, drill into it, list its records, go elsewhere. */
import { popover } from "./popover.js";

/**
 * @typedef {{now: object, before: object, nowWords: string, beforeWords: string, how: "before" | "beside"}} Two two marks that are compared
 * @typedef {{mark: Record<string, any>, chosen?: Record<string, any>, words: string, parts?: string[], value: string, two?: Two}} Marked a mark, and what is chosen by it: nothing by one that is only read; parts are the words of its groups, where they are not all of it
 * @typedef {{narrow: (m: Marked) => void, without: (m: Marked) => void, drill: (m: Marked, into: string, place: number) => void, records: (m: Marked) => void, go: (m: Marked, way: string) => void, why: (two: Two) => void}} Doing
 */

/** Opens the menu of a mark beside it. @param {HTMLElement} box @param {HTMLElement} beside @param {string} address @param {() => Record<string, string>} fields @param {Marked} marked @param {Doing} doing */
export async function menu(box, beside, address, fields, marked, doing) {
  await popover(box, beside, address, () => ({ ...fields(), words: marked.words, value: marked.value, ...(marked.chosen ? {} : { only: "read" }), ...(marked.two ? { why: marked.two.how } : {}) }));
  box.onclick = (e) => {
    const d = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button"))?.dataset;
    if (!d?.mark) return;
    box.hidePopover();
    if (d.mark === "drill") doing.drill(marked, d.into ?? "", Number(d.place));
    else if (d.mark === "why" && marked.two) doing.why(marked.two);
    else if (d.mark === "go") doing.go(marked, d.way ?? "");
    else if (d.mark === "narrow" || d.mark === "without" || d.mark === "records") doing[d.mark](marked);
  };
  box.onkeydown = (e) => {
    if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
    const all = /** @type {HTMLElement[]} */ ([...box.querySelectorAll("button, summary")]).filter((b) => b.checkVisibility()), at = all.indexOf(/** @type {HTMLElement} */ (document.activeElement));
    all[(at + (e.key === "ArrowDown" ? 1 : all.length - 1)) % all.length]?.focus();
    e.preventDefault();
  };
}
