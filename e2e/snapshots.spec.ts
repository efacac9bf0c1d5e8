import { expect, test } from "@playwright/test";
import { complaints, eskadel, noSeriousProblem, settled, signIn } from "./help";

// An author freezes a page as she looks at it, draws on it by keyboard and mouse, sees what has become of it, and
// passes it on; it stays as it was.
test("a page is frozen, drawn on, compared and passed on", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/dashboards/yard-today");
  await settled(page);
  const now = await page.locator("#w-open .figure b").first().textContent();
  await page.locator("[data-freezes]").press("Enter");
  await page.getByLabel("Freeze this page").fill("Before the winter");
  await noSeriousProblem(page, "freezing", "#popover");
  await page.keyboard.press("Enter");
  await page.waitForURL(/snapshots\/\d+$/);
  await settled(page);
  await expect(page.locator("#w-open .figure b").first()).toHaveText(now!);

  // A note on a mark, by the keyboard.
  await page.getByRole("button", { name: "a note" }).press("Enter");
  await page.locator("#w-parts .chart").focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press(" ");
  await expect(page.getByLabel("What 1 says")).toBeFocused();
  await page.keyboard.type("The supplier was late.");
  await page.keyboard.press("Enter");
  await expect(page.locator(".drawn-note")).toHaveText("1 The supplier was late.");
  // A ring around a figure, by the mouse; an arrow from a part of the page to a figure, by the keyboard.
  await page.getByRole("button", { name: "a ring" }).click();
  await page.locator("#w-open .figure").first().click();
  await page.getByRole("button", { name: "an arrow" }).press("Enter");
  await page.getByLabel("On a part of the page").selectOption("Late starts");
  await page.getByRole("button", { name: "put it there" }).press("Enter");
  await page.locator("#w-revenue .figure").first().press("Enter");
  await expect(page.locator(".drawn-list li")).toHaveCount(3);
  await expect(page.locator(".drawn-list li").nth(2)).toContainText("Arrow from Late starts to");
  await page.getByRole("button", { name: "a ring" }).press("Enter");
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: "a ring" })).toBeFocused();
  await noSeriousProblem(page, "a snapshot");
  const saved = page.waitForResponse(/notes$/);
  await page.getByLabel("What 2 says").fill("So many");
  await page.keyboard.press("Enter");
  await saved;

  // It is there again, at the same marks, in another width.
  await page.setViewportSize({ width: 700, height: 800 });
  await page.reload();
  await settled(page);
  await expect(page.locator(".drawn-note")).toHaveText(["1 The supplier was late.", "2 So many"]);
  await expect.poll(async () => {
    const ring = (await page.locator(".drawn ellipse.line").boundingBox())!, figure = (await page.locator("#w-open .figure").first().boundingBox())!;
    return Math.max(Math.abs(ring.x + ring.width / 2 - figure.x - figure.width / 2), Math.abs(ring.y + ring.height / 2 - figure.y - figure.height / 2));
  }).toBeLessThan(2);
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.getByRole("button", { name: "compare it with now" }).press("Enter");
  await expect(page.locator("[data-now-place]")).toContainText("Jobs under way: as it was.");

  // Passed on, and found.
  await page.getByLabel("Pass it on to").pressSequentially("Mara");
  await page.getByRole("option", { name: /Mara Quill/ }).waitFor();
  await page.keyboard.press("Enter");
  await page.getByLabel("A line to go with it").fill("Look at engines");
  await page.getByRole("button", { name: "Pass it on" }).press("Enter");
  await expect(page.locator(".found")).toHaveText("Mara Quill is told.");
  await page.goto("/snapshots");
  await expect(page.locator("li", { hasText: "Before the winter" }).first()).toContainText("shared");
  await noSeriousProblem(page, "snapshots");
  const hers = await (await browser.newContext({ baseURL: eskadel })).newPage();
  await signIn(hers, "mara.quill@skerrin.example");
  await hers.goto("/notices");
  await hers.locator("li", { hasText: "passes the snapshot “Before the winter” on to you" }).getByRole("button", { name: "look" }).press("Enter");
  await hers.waitForURL(/snapshots/);
  await expect(hers.locator(".drawn-note").first()).toHaveText("1 The supplier was late.");
  await page.getByRole("link", { name: "Before the winter" }).first().press("Enter");
  await page.getByRole("button", { name: "remove this snapshot" }).press("Enter");
  await page.waitForURL(/snapshots$/);
  expect(wrong).toEqual([]);
});
