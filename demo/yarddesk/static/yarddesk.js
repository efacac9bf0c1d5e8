/** Yard Desk by night: as the machine has it, or as was chosen here last. */
const night = localStorage.getItem("night") ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "yes" : "");
const show = (on) => document.documentElement.toggleAttribute("data-night", on);
show(!!night);
document.addEventListener("DOMContentLoaded", () => {
  for (const button of document.querySelectorAll("[data-night-watch]")) {
    button.addEventListener("click", () => {
      const on = !document.documentElement.hasAttribute("data-night");
      localStorage.setItem("night", on ? "yes" : "");
      show(on);
    });
  }
});
