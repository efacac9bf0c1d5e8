/** A list of pairs, or of choices, takes another. */
document.addEventListener("click", (event) => {
  const more = /** @type {HTMLElement} */ (event.target).closest("[data-more]")?.previousElementSibling;
  if (!more) return;
  const next = /** @type {HTMLElement} */ (more.cloneNode(true));
  next.querySelectorAll("input").forEach((i) => (i.value = ""));
  next.querySelectorAll("select").forEach((s) => (s.selectedIndex = 0));
  more.after(next);
  /** @type {HTMLElement | null} */ (next.querySelector("input, select"))?.focus();
});
