/** What the pages of the Data part do: conditions, formulas, uploads, “view as”, offers. */
import { fill, headers, post, say, Trouble } from "../page/api.js";
import { conditions } from "../page/condition.js";
import { formulas } from "../page/formula.js";
import "../page/pairs.js";

conditions(document);
formulas(document);

/** Uploads a file as the body of a request, and tells how far it is. @param {HTMLFormElement} form */
function upload(form) {
  const input = /** @type {HTMLInputElement} */ (form.querySelector("input[type=file]"));
  const bar = /** @type {HTMLProgressElement} */ (form.querySelector("progress"));
  const said = /** @type {HTMLElement} */ (form.querySelector("[data-said]"));
  const choices = /** @type {HTMLElement} */ (form.querySelector("[data-look]"));
  const tell = (/** @type {string} */ words, wrong = false) => {
    said.textContent = words;
    said.className = wrong ? "wrong" : "hint";
  };
  // What was chosen of one file says nothing of another.
  input.addEventListener("change", () => choices.replaceChildren());
  form.querySelector("[data-look-first]")?.addEventListener("click", async () => {
    const file = input.files?.[0];
    if (!file) return tell("Choose a file first.", true);
    tell("reading its first rows …");
    try {
      const response = await fetch(`/data/files/look?${new URLSearchParams({ original: file.name })}`, { method: "POST", headers: { ...headers(), "HX-Request": "true" }, body: file });
      const text = await response.text();
      if (!response.ok) return tell(new DOMParser().parseFromString(text, "text/html").body.textContent?.trim() || "This file cannot be looked at.", true);
      fill(choices, text);
      tell("");
    } catch {
      tell("Eskadel does not answer; try again.", true);
    }
  });
  form.querySelector("[data-add-rows]")?.addEventListener("click", () => send("1"));
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    send("");
  });
  /** @param {string} add whether its rows are added to those that are there */
  const send = (add) => {
    const file = input.files?.[0];
    if (!file) return tell("Choose a file first.", true);
    if (file.size > 2 ** 30) return tell("The file is larger than 1 GB.", true);
    const request = new XMLHttpRequest();
    const query = new URLSearchParams({ original: file.name, name: form.dataset.name ?? "", add });
    for (const [name, value] of new FormData(form)) if (["sheet", "heading", "skip", "uneven"].includes(name)) query.append(name, String(value));
    request.open("POST", `/data/files/upload?${query}`);
    for (const [name, value] of Object.entries(headers())) request.setRequestHeader(name, value);
    bar.hidden = false;
    request.upload.addEventListener("progress", (e) => {
      bar.value = (e.loaded / e.total) * 100;
      tell("sending …");
    });
    const last = () => request.responseText.trim().split("\n").filter(Boolean).map((l) => JSON.parse(l)).pop() ?? {};
    request.addEventListener("progress", () => {
      const { stage, rows } = last();
      bar.removeAttribute("value");
      if (stage) tell(rows ? `${rows.toLocaleString("en-GB")} rows read …` : `${stage} …`);
    });
    request.addEventListener("loadend", () => {
      bar.hidden = true;
      /** @type {{tables?: string[], wrong?: string, detail?: string}} */
      let answer = {};
      try {
        answer = last();
      } catch {
        answer = {};
      }
      if (answer.tables) location.assign(answer.tables.length === 1 ? `/data/sources/files/tables/public.${answer.tables[0]}` : "/data/sources/files");
      else tell(answer.wrong ?? answer.detail ?? "Eskadel does not answer; the file has not been loaded.", true);
    });
    request.send(file);
  };
}
/** Sends a form without leaving the page while something is wrong, so that what was typed stays, passwords too. @param {HTMLFormElement} form */
function keep(form) {
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const told = /** @type {HTMLElement} */ (form.querySelector("[data-told]"));
    told.textContent = "trying …";
    try {
      const response = await fetch(form.action, { method: "POST", body: new URLSearchParams(/** @type {any} */ (new FormData(form, event.submitter))) });
      if (response.redirected) return location.assign(response.url);
      const page = new DOMParser().parseFromString(await response.text(), "text/html");
      const words = page.querySelectorAll("main .wrong[role=alert], main .found");
      told.replaceChildren(...[...words].map((w) => document.importNode(w, true)));
      if (words.length === 0) told.textContent = "Something went wrong here.";
    } catch {
      told.textContent = "Eskadel does not answer; what is typed stays here. Try again.";
    }
  });
}
document.querySelectorAll("form[data-keep]").forEach((f) => keep(/** @type {HTMLFormElement} */ (f)));
document.querySelectorAll("[data-upload]").forEach((f) => upload(/** @type {HTMLFormElement} */ (f)));

document.querySelectorAll("form[data-view-as]").forEach((f) => {
  const form = /** @type {HTMLFormElement} */ (f);
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const place = /** @type {HTMLElement} */ (document.getElementById("view-as"));
    try {
      fill(place, await post(form.dataset.viewAs ?? "", new FormData(form)));
    } catch (error) {
      place.textContent = error instanceof Trouble ? error.message : "Something went wrong here.";
    }
  });
});

document.addEventListener("click", async (event) => {
  const target = /** @type {HTMLElement} */ (event.target);
  const offer = target.closest("[data-offer]");
  const form = /** @type {HTMLFormElement | null} */ (document.getElementById("offer-form"));
  if (offer instanceof HTMLElement && form) {
    const field = /** @type {HTMLInputElement} */ (form.elements.namedItem("offer"));
    field.value = offer.dataset.offer ?? "";
    form.requestSubmit();
    return;
  }
  const text = target.closest("[data-fill]");
  if (text instanceof HTMLElement) {
    const field = /** @type {HTMLTextAreaElement} */ (document.getElementById(text.dataset.fill ?? ""));
    field.value = text.dataset.text ?? "";
    field.focus();
    return;
  }
  const show = target.closest("[data-show-records]");
  const dialog = /** @type {HTMLDialogElement | null} */ (document.getElementById("odd-records"));
  if (show instanceof HTMLElement && dialog) {
    const place = /** @type {HTMLElement} */ (dialog.querySelector("div"));
    const name = location.pathname.split("/")[3];
    try {
      fill(place, await post(`/data/datasets/${name}/odd`, { where: show.dataset.showRecords ?? "" }));
    } catch (error) {
      place.textContent = error instanceof Trouble ? error.message : "Something went wrong here.";
    }
    dialog.showModal();
    say("Records shown");
    return;
  }
  if (target.closest("[data-close]")) target.closest("dialog")?.close();
});
