/** The page of an open link: a dashboard for whoever has the link, and its password where it has one. */
import { Trouble, who } from "../page/api.js";
import { Sheet } from "./sheet.js";

const root = /** @type {HTMLElement} */ (document.getElementById("reading"));
const { session = "", page = "", view = "" } = root.dataset;
let password = "";

/** @type {Promise<any> | null} */
let entering = null;

/** Begins a visit, or goes on with it. @param {boolean} [first] with the first sheet */
function enter(first) {
  entering ??= (async () => {
    const response = await fetch(session, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(first ? { password, page, view } : { password }) });
    const answer = await response.json();
    if (!response.ok) throw new Trouble(answer.detail, response.status, answer.place);
    who.bearer = answer.bearer;
    const left = new Date(answer.expires).getTime() - Date.now();
    setTimeout(() => void enter().catch(refuse), Math.max(1000, left - Math.min(30000, left / 4)));
    return answer;
  })().finally(() => { entering = null; });
  return entering;
}
who.renew = () => enter();

/** @param {Error} error */
function refuse(error) {
  const p = document.createElement("p");
  p.className = "wrong";
  p.setAttribute("role", "alert");
  p.textContent = error.message;
  root.replaceChildren(p);
}

async function open() {
  const { dashboard, sheet, state } = await enter(true);
  await new Sheet(root, { dashboard, page: state?.page ?? page, state }).open(sheet);
}

const form = /** @type {HTMLFormElement | null} */ (document.getElementById("open-password"));
if (form) form.addEventListener("submit", async (event) => {
  event.preventDefault();
  const field = /** @type {HTMLInputElement} */ (form.querySelector("input")), wrong = /** @type {HTMLElement} */ (form.querySelector(".wrong"));
  password = field.value;
  try {
    await open();
  } catch (error) {
    if (!(error instanceof Trouble) || error.place !== "password" && error.status !== 429) return refuse(/** @type {Error} */ (error));
    [wrong.textContent, wrong.hidden] = [error.message, false];
    field.select();
  }
});
else open().catch(refuse);
