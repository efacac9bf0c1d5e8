/** Making dashboards from nothing, with the keyboard alone or with the mouse. */
import { readFileSync } from "node:fs";
import { expect, type Locator, type Page } from "@playwright/test";
import { signIn } from "./help";

/** How somebody presses a button, and ticks a box. */
export interface Hand { press: (on: Locator) => Promise<void>; tick: (on: Locator) => Promise<void> }

export const keyboard: Hand = {
  press: async (on) => {
    await on.focus();
    await on.press("Enter");
  },
  tick: async (on) => {
    await on.focus();
    await on.press("Space");
  },
};

/** Numbers as the texts that they may stand for too. */
const numbers = (v: any): any => Array.isArray(v) ? v.map(numbers) : v && typeof v === "object" ? Object.fromEntries(Object.entries(v).map(([k, w]) => [k, numbers(w)])) : typeof v === "number" ? String(v) : v;

/** A document without what is called so or placed so by chance; what speaks of a widget says which it is. */
export function plain(d: any) {
  const all = d.pages.flatMap((p: any) => p.widgets);
  const filters = Object.fromEntries(d.filters.map((f: any, i: number) => [f.name, i]));
  const by = (to: any) => to && Object.fromEntries(Object.entries(to).map(([k, v]) => [filters[k] ?? k, v]));
  return numbers({
    answers: d.answers,
    viewers_may: d.viewers_may,
    filters: d.filters.map(({ name, ...f }: any) => f),
    pages: d.pages.map((p: any) => [p.title, p.widgets.map(({ id, at, answers_to, ...w }: any) => ({ ...w, answers: by(answers_to) }))]),
    drill_through: (d.drill_through ?? []).map(({ name, from, fill, ...t }: any) => ({ ...t, fill: Object.fromEntries(Object.entries(fill).map(([k, v]) => [k, filters[v as string] ?? v])), from: from.map((id: string) => all.findIndex((w: any) => w.id === id)) })),
  });
}

/** Makes a dashboard with a title, and what it answers. */
export async function begun(page: Page, title: string, answers: string) {
  await signIn(page);
  await page.goto("/dashboards");
  await page.locator("#title").focus();
  await page.keyboard.type(title);
  await Promise.all([page.waitForURL(/\/dashboards\/[^/]+\/edit/), page.keyboard.press("Enter")]);
  await page.locator("#answers").focus();
  await page.keyboard.type(answers);
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), page.keyboard.press("Tab")]);
}

/** Names the page. */
export async function paged(page: Page, title: string, { press }: Hand) {
  await press(page.locator(".page-fold summary"));
  await page.locator("#page-title").fill(title);
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/pages") && r.ok()), page.locator("#page-title").press("Enter")]);
  await press(page.locator(".page-fold summary"));
}

/** Adds filters, names them and says what they begin with. */
export function filtering(page: Page, { press }: Hand) {
  const composing = page.locator("#line");
  const kept = () => page.waitForResponse((r) => r.url().endsWith("/filters") && r.ok());
  return async (name: string, called: string, begins?: "a year" | "their yard") => {
    await press(composing.getByRole("button", { name: "+ narrow by" }));
    await Promise.all([kept(), press(composing.locator(".choice", { hasText: name }).first())]);
    await expect(composing.locator("#filter-label")).toBeFocused();
    if ((await composing.locator("#filter-label").inputValue()) !== called) {
      await composing.locator("#filter-label").fill(called);
      await Promise.all([kept(), page.keyboard.press("Tab")]);
      await expect(composing.locator(".choices-head")).toContainText(called);
    }
    if (begins) await press(composing.locator("[data-begins]"));
    if (begins === "a year") {
      await page.locator("#last").fill("12");
      await page.locator("#last-unit").selectOption("month");
      await Promise.all([kept(), page.locator("#last").press("Enter")]);
    } else if (begins) {
      await Promise.all([kept(), press(page.locator("#popover").getByRole("button", { name: "the viewer's yard" }))]);
    }
    await composing.locator("#filter-label").focus();
    await page.keyboard.press("Escape");
    await expect(composing.locator("form")).toHaveCount(0);
  };
}

/** Leads from the marks of charts through to a place, not from the first that is proposed. */
export async function leading(page: Page, to: string, from: string[], first: string, { press, tick }: Hand) {
  const drill = page.locator("#drilling");
  const kept = () => page.waitForResponse((r) => r.url().endsWith("/drilling/change") && r.ok());
  await press(drill.locator("summary"));
  await Promise.all([kept(), press(drill.getByRole("button", { name: "+ lead through to another place" }))]);
  await Promise.all([kept(), drill.getByLabel("to", { exact: true }).selectOption({ label: to })]);
  const ways = drill.locator(".ways"); // which are shown anew after each change, and then say it
  await expect(ways).toContainText(`to ${to}`);
  for (const [name, on] of [...from.map((n) => [n, true] as const), [first, false] as const]) { // one is always chosen
    await Promise.all([kept(), tick(drill.getByRole("checkbox", { name, exact: true }))]);
    if (on) await expect(ways).toContainText(`“${name.replace(/, Year$/, "")}”`);
    else await expect(ways).not.toContainText(`“${name.replace(/, Year$/, "")}”`);
  }
}

/** Has a widget answer a filter otherwise. */
export async function answering(page: Page, cell: string, choice: string, { press }: Hand) {
  await press(page.locator("#reach").getByRole("button", { name: cell }));
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/reach/change") && r.ok()), press(page.locator("#popover").getByRole("button", { name: choice }))]);
}

/** Lets readers do things. */
export async function letting(page: Page, may: string[], { press, tick }: Hand) {
  await press(page.locator("#readers summary"));
  for (const one of may) {
    const box = page.locator(`#readers input[value=${one}]`);
    await expect(async () => {
      if (!(await box.isChecked())) await tick(box);
      await expect(box).toBeChecked({ timeout: 2000 });
    }).toPass();
  }
  await expect(page.locator("#saved")).toContainText("draft saved");
}

/** What ships, to hold to what is made. */
export const shipped = (name: string) => JSON.parse(readFileSync(new URL(`../demo/documents/dashboards/${name}.json`, import.meta.url), "utf8"));
