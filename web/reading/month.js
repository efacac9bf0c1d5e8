/** A month in a popover: one day and another are a range of dates, a week or the month one at once. */
import { fill } from "../page/api.js";

/** The day so many days after another. @param {string} day @param {number} n */
const after = (day, n) => new Date(Date.parse(day) + n * 86_400_000).toISOString().slice(0, 10);

/** What arrow keys do: days that one moves by. @type {Record<string, number>} */
const STEPS = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 };

/**
 * @param {HTMLElement} place @param {(month: string) => Promise<string>} load another month, by its name
 * @param {(range: {from: string, to: string}) => void} set
 */
export function month(place, load, set) {
  let begun = "";
  const days = () => /** @type {HTMLElement[]} */ ([...place.querySelectorAll("[data-day]")]);
  const own = () => days().filter((d) => !d.classList.contains("beside"));
  const of = (/** @type {HTMLElement} */ d) => d.dataset.day ?? "";
  /** The one day that Tab leads to. @param {HTMLElement} [day] */
  const reach = (day) => days().forEach((d) => { d.tabIndex = d === day ? 0 : -1; });
  const enter = () => reach(own().find((d) => d.classList.contains("chosen")) ?? own().find((d) => d.classList.contains("today")) ?? own()[0]);
  /** Shows the days from the one that begins to another. @param {string} to */
  const between = (to) => days().forEach((d) => {
    const [low, high] = [begun, to].sort();
    d.classList.toggle("between", begun !== "" && of(d) >= low && of(d) <= high);
  });
  /** @param {string} name */
  const turn = async (name) => {
    fill(place, await load(name));
    enter();
    between(begun);
  };
  /** @param {string} a @param {string} b */
  const take = (a, b) => {
    const [from, to] = [a, b].sort();
    set({ from, to });
  };
  place.addEventListener("click", async (e) => {
    const button = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("button")), d = button?.dataset;
    if (!button || !d) return;
    if (d.turn) {
      const label = button.getAttribute("aria-label") ?? "";
      await turn(d.turn);
      /** @type {HTMLElement | null} */ (place.querySelector(`[aria-label="${label}"]`))?.focus();
    } else if (d.span) take(...(/** @type {[string, string]} */ (d.span.split(" "))));
    else if (d.day && begun) take(begun, d.day);
    else if (d.day) {
      begun = d.day;
      between(begun);
      /** @type {HTMLElement} */ (place.querySelector("[data-month-hint]")).textContent = `From ${(button.getAttribute("aria-label") ?? "").split(",")[0]}: now its last day.`;
    }
  });
  for (const kind of ["pointerover", "focusin"]) place.addEventListener(kind, (e) => {
    const day = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (e.target).closest("[data-day]"));
    if (day && begun) between(of(day));
  });
  place.addEventListener("keydown", async (e) => {
    const at = /** @type {HTMLElement} */ (e.target), by = STEPS[e.key];
    if (!at.matches("[data-day]") || !by && e.key !== "PageUp" && e.key !== "PageDown") return;
    e.preventDefault();
    const to = by ? after(of(at), by) : "", found = () => own().find((d) => of(d) === to);
    if (!found()) await turn(/** @type {HTMLElement} */ (place.querySelectorAll("[data-turn]")[by < 0 || e.key === "PageUp" ? 0 : 1]).dataset.turn ?? "");
    // A month on, the day of the same number or, where it has none, its last.
    const there = found() ?? own().find((d) => d.textContent === at.textContent) ?? own().at(-1);
    reach(there);
    there?.focus();
  });
  enter();
}
