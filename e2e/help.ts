import { AxeBuilder } from "@axe-core/playwright";
import { expect, type Frame, type Page } from "@playwright/test";

export const builder = "mara.quill@skerrin.example";

/** Where what is made is kept, and where the demonstration of the tests answers. */
export const place = process.env.ESKADEL_PLACE ?? new URL("../.eskadel", import.meta.url).pathname;
export const eskadel = `http://127.0.0.1:${process.env.ESKADEL_PORT ?? 18080}`;
/** Where what is sent to anybody can be read. */
export const post = `http://127.0.0.1:${process.env.ESKADEL_POST_PORT ?? 18092}`;
export const yardDesk = `http://localhost:${process.env.ESKADEL_DESK_PORT ?? 18090}`;

/** Collects what the browser complains of: violations of the policy, errors of scripts. */
export function complaints(page: Page): string[] {
  const out: string[] = [];
  page.on("console", (m) => { if (m.type() === "error" && !/status of (401|403|503|504)|ERR_CONNECTION/.test(m.text())) out.push(m.text()); });
  page.on("pageerror", (e) => out.push(String(e)));
  return out;
}

export async function signIn(page: Page, email = "edda.harrow@skerrin.example") {
  await page.goto("/sign-in");
  await page.fill("#email", email);
  await page.fill("#password", "sail away");
  await page.keyboard.press("Enter");
  await page.waitForURL((u) => !u.pathname.includes("sign-in"));
}

/** Signs in to Yard Desk as the first of the staff whose line holds the words. */
export async function yardDeskAs(page: Page, words: string) {
  await page.goto(`${yardDesk}/sign-in`);
  const lines = await page.locator("#staff option").allTextContents();
  await page.selectOption("#staff", { label: lines.find((l) => l.includes(words))! });
  await page.getByRole("button", { name: "Sign in" }).click();
}

/** The frame with the dashboard, once its widgets are drawn. */
export async function dashboardFrame(page: Page): Promise<Frame> {
  await page.waitForSelector("eskadel-dashboard iframe");
  const frame = (await (await page.$("eskadel-dashboard iframe"))!.contentFrame())!;
  await frame.waitForSelector("#w-cost[data-drawn]");
  await frame.waitForSelector("#line b");
  return frame;
}

/** Waits until the page is laid out and no widget waits for an answer. */
export async function settled(where: Page | Frame) {
  await where.waitForFunction(() => document.querySelectorAll("[aria-busy]").length === 0);
}

/** The newest letter to an address, as plain text. */
export async function letter(page: Page, to: string): Promise<string> {
  const reader = await page.context().browser()!.newPage();
  await expect(async () => {
    await reader.goto(post);
    await reader.locator("li", { hasText: to }).first().getByRole("link").click({ timeout: 500 });
  }).toPass({ timeout: 15_000 });
  const text = await reader.locator("pre").textContent();
  await reader.close();
  return text!;
}

/** The link by which somebody who has just been invited comes in, from the letter with it. */
export async function invitation(page: Page, email: string): Promise<string> {
  await expect(page.locator(".found")).toContainText(`A letter with a link is on its way to ${email}`);
  return /http\S+\/enter\/\S+/.exec(await letter(page, email))![0];
}

/** @param within what has come onto a page that has been looked at: the rest of it is left out, which takes most of the time */
export async function noSeriousProblem(page: Page, what: string, within?: string) {
  // Rows and cards after the first eight are as those are; how far targets lie apart is asked of each pair.
  const axe = new AxeBuilder({ page });
  if (within) axe.include(within);
  const { violations } = await axe.exclude("tbody tr:nth-child(n+9)").exclude(".slip:nth-child(n+9)").options({ rules: { "target-size": { enabled: true } }, resultTypes: ["violations"] }).analyze();
  const serious = violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 120)).join(" | ")}`);
  expect(serious, what).toEqual([]);
}

/** What is wrong with the labels of the drawings: cut off, or lying on each other. */
export const faults = (which: string) =>
  [...document.querySelectorAll(which)].flatMap((svg) => {
    const ground = svg.getBoundingClientRect(), title = svg.closest(".widget")?.querySelector("h2")?.textContent;
    const texts = [...svg.querySelectorAll("text")].map((t) => ({ t, box: t.getBoundingClientRect(), turned: t.hasAttribute("transform") }));
    const out: string[] = [];
    texts.forEach(({ t, box, turned }, i) => {
      if (box.left < ground.left - 3 || box.right > ground.right + 3 || box.top < ground.top - 3 || box.bottom > ground.bottom + 3) out.push(`${title}: “${t.firstChild?.textContent}” is cut`);
      for (const other of texts.slice(0, i)) {
        if (turned || other.turned) continue;
        const across = Math.min(box.right, other.box.right) - Math.max(box.left, other.box.left), down = Math.min(box.bottom, other.box.bottom) - Math.max(box.top, other.box.top);
        if (across > 1.5 && down > 5) out.push(`${title}: “${t.firstChild?.textContent}” lies on “${other.t.firstChild?.textContent}”`);
      }
    });
    return out;
  });

/** Publishes what is edited, having read what that means for readers; leads to the page that they read. */
export async function publish(page: Page) {
  await page.locator("#publish").press("Enter");
  const button = page.locator("#publishing [data-publish]");
  await expect(button).toBeFocused();
  await noSeriousProblem(page, "what publishing means");
  await Promise.all([page.waitForURL(/\/dashboards\/[^/]+$/), page.keyboard.press("Enter")]);
}

/** Makes a copy of a dashboard of its own for a test, and opens it in the editor. */
export async function copied(page: Page, of: string, name: string, title: string) {
  await page.goto(`/dashboards/${of}/edit`);
  const document = { ...JSON.parse((await page.getAttribute("#editor", "data-document"))!), name, title };
  const token = (await page.getAttribute("body", "data-csrf"))!;
  const made = await page.request.put(`/api/v1/dashboards/${name}`, { data: document, headers: { "X-CSRF-Token": token, "If-Match": "*" } });
  expect(made.status(), await made.text()).toBe(201);
  await page.goto(`/dashboards/${name}/edit`);
  await settled(page);
}
