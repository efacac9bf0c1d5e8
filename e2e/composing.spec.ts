import { expect, test } from "@playwright/test";
import { complaints, noSeriousProblem, settled, signIn } from "./help";

// An author narrows a dashboard by fields of their choice, and a viewer adds one that is offered.
test("filters are added, set, offered and taken off by hand", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.fill("#title", "Narrowed by hand");
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/narrowed-by-hand\/edit/);
  const line = page.locator("#line");
  await line.getByRole("button", { name: "+ narrow by" }).click();
  await expect(line).toContainText("Put a chart on this page first");
  const kept = (path: string) => page.waitForResponse((r) => r.url().endsWith(path) && r.ok());
  await page.goto("/charts/edit?dataset=yard-jobs");
  await expect(page.locator("#preview svg")).toBeVisible();
  await page.selectOption("#to", { label: "Narrowed by hand" });
  await page.click("#place");
  await page.waitForURL(/narrowed-by-hand\/edit/);
  await settled(page);

  // By the keyboard: dates come first, and what it is called and begins with is chosen there.
  await line.getByRole("button", { name: "+ narrow by" }).press("Enter");
  await expect(line.locator(".choice").first()).toContainText("Opened");
  await expect(line.locator(".choice .values").first(), "a picture of what is in it").toBeVisible();
  await noSeriousProblem(page, "what may be added to the reading line");
  await page.keyboard.press("Tab");
  await Promise.all([kept("/filters"), page.keyboard.press("Enter")]);
  await expect(line.locator("#filter-label")).toBeFocused();
  await expect(line.locator("#filter-label")).toHaveValue("opened");
  await expect(line).toContainText("opened at any time");
  await line.locator("[data-begins]").press("Enter");
  await page.locator("#last").fill("3");
  await page.locator("#last-unit").selectOption("year");
  await Promise.all([kept("/filters"), page.locator("#last").press("Enter")]);
  await expect(line.locator(".filters-line")).toContainText("opened in the last 3 years");
  await expect(line.locator("[data-begins]")).toBeFocused();
  await Promise.all([kept("/filters"), line.getByLabel("Which date of Yard jobs answers").selectOption({ label: "Promised" })]);
  await line.locator("#filter-label").fill("promised");
  await Promise.all([kept("/filters"), page.keyboard.press("Tab")]);
  await expect(line.locator(".filters-line")).toContainText("promised in the last 3 years");
  await noSeriousProblem(page, "a filter in the dashboard editor");
  await page.keyboard.press("Escape");
  await expect(line.locator("form")).toHaveCount(0);

  // One of values, of the viewer's own yard; and one that viewers add themselves.
  const add = async (name: string) => {
    await line.getByRole("button", { name: "+ narrow by" }).click();
    await line.locator("#candidate-find").fill(name);
    await Promise.all([kept("/filters"), line.locator(".choice:not(.hidden)", { hasText: name }).first().click()]);
    await expect(line.locator("#filter-label")).toBeFocused();
  };
  await add("Yard");
  await Promise.all([kept("/filters"), line.getByLabel("One value at a time").check()]);
  await line.locator("[data-begins]").click();
  await Promise.all([kept("/filters"), page.locator("#popover").getByRole("button", { name: "the viewer's yard" }).click()]);
  await expect(line.locator(".filters-line")).toContainText("yard the viewer's yard");
  await add("Kind");
  await Promise.all([kept("/filters"), line.getByLabel("Viewers").selectOption({ label: "add it themselves, with “+ narrow by”" })]);
  await expect(line.locator(".filters-line")).toContainText("viewers may add kind");
  await add("Crew hours");
  await Promise.all([kept("/filters"), line.getByRole("button", { name: "take it off" }).click()]);
  await expect(line.locator(".filters-line")).not.toContainText("crew hours");
  await page.locator("#undo").click();
  await expect(line.locator(".filters-line")).toContainText("crew hours");
  await page.locator("#redo").click();
  await expect(line.locator(".filters-line")).not.toContainText("crew hours");
  await expect(page.locator("#saved")).toContainText("draft saved");

  await Promise.all([page.waitForURL(/narrowed-by-hand$/), page.click("#publish")]);
  await settled(page);
  const reading = page.locator("#line");
  await expect(reading).toContainText("promised in the last 3 years, any yard");
  const all = await reading.innerText();
  await reading.getByRole("button", { name: "any yard" }).click();
  await page.locator("#popover .ticks button").first().press("Enter");
  await expect(reading).not.toContainText("any yard");
  await expect(reading).not.toHaveText(all);
  await reading.getByRole("button", { name: "+ narrow by" }).click();
  await expect(page.locator("#popover button").first()).toBeFocused();
  await page.keyboard.press("Enter");
  await page.locator("#popover .ticks input").first().check();
  await noSeriousProblem(page, "a filter that a viewer adds");
  await page.locator("#popover").getByRole("button", { name: "Set" }).click();
  await expect(reading.getByRole("button", { name: /^Lift kind/ })).toBeVisible();
  await expect(reading.getByRole("button", { name: "+ narrow by" })).toHaveCount(0);
  await reading.getByRole("button", { name: /^Lift kind/ }).click();
  await expect(reading.getByRole("button", { name: "+ narrow by" })).toBeVisible();
  expect(wrong).toEqual([]);
});
