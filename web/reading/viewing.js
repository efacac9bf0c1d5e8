/** The page that shows a dashboard as somebody else sees it: its frames are as high as what they show. */
for (const frame of /** @type {NodeListOf<HTMLIFrameElement>} */ (document.querySelectorAll("iframe.as"))) {
  const fit = () => {
    const within = frame.contentDocument?.documentElement;
    if (within) frame.style.height = `${Math.ceil(within.getBoundingClientRect().height)}px`;
  };
  const follow = () => {
    const within = frame.contentDocument?.documentElement;
    if (within) new ResizeObserver(fit).observe(within);
  };
  frame.addEventListener("load", follow);
  if (frame.contentDocument?.readyState === "complete") follow();
}
// A person goes before roles and attributes, which are then not asked for.
const person = /** @type {HTMLSelectElement | null} */ (document.getElementById("as-person"));
const others = /** @type {HTMLElement | null} */ (document.getElementById("as-viewer"));
const show = () => { if (person && others) others.hidden = person.value !== ""; };
person?.addEventListener("change", show);
show();
export {};
