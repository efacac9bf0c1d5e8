import { expect, test } from "@playwright/test";
import { builder, complaints, noSeriousProblem, publish, settled, signIn } from "./help";

// Two who change the same thing at once are told of each other, and nothing is lost.
test("a dashboard that two change at once, its history, and a chart of the library on it", async ({ page, context }) => {
  const wrong = complaints(page);
  await signIn(page);
  // Neither takes over by itself what the other has changed.
  await context.route("**/here", (r) => r.fulfill({ json: { others: [], revision: 1, by: "", document: null } }));
  await page.goto("/");
  await page.fill("#title", "Told twice");
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/told-twice\/edit/);
  const other = await context.newPage();
  await other.goto("/dashboards/told-twice/edit");
  await other.fill("#answers", "How many jobs there are");
  await Promise.all([other.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), other.keyboard.press("Tab")]);
  await page.fill("#dashboard-title", "Told once");
  await page.keyboard.press("Tab");
  const told = page.locator(".unkept");
  await expect(told).toContainText("answers was added: “How many jobs there are”");
  await expect(told).toContainText("title was “Told twice”, is “Told once”");
  await expect(page.locator("#trouble")).toContainText("You, in another window, changed this dashboard");
  await noSeriousProblem(page, "a conflict in the editor");
  await expect(told.getByRole("button", { name: "Keep both changes" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.locator("#answers")).toHaveValue("How many jobs there are");
  await expect(page.locator("#dashboard-title")).toHaveValue("Told once");
  await expect(told).toHaveCount(0);

  // A chart of the library is placed, published, and changed everywhere from where it stands.
  await page.goto("/charts/edit?dataset=yard-jobs");
  await expect(page.locator("#preview svg")).toBeVisible();
  await page.fill("#chart-title", "Kept for all");
  await Promise.all([page.waitForResponse((r) => r.url().includes("/charts/change")), page.keyboard.press("Tab")]);
  await page.selectOption("#to", "library");
  await page.click("#place");
  await page.waitForURL(/charts$/);
  await page.goto("/dashboards/told-twice/edit");
  await page.locator("#add summary").click();
  await page.getByRole("link", { name: "from the library …" }).click();
  await page.locator(".library-card", { hasText: "Kept for all" }).getByRole("button", { name: "put it on" }).click();
  await page.locator("section.widget h2", { hasText: "Kept for all" }).waitFor();
  await publish(page);
  await page.goto("/dashboards/told-twice/edit");
  await page.locator("section.widget", { hasText: "Kept for all" }).getByRole("button", { name: "change" }).click();
  await expect(page.locator("#panel")).toContainText("It stands on Told once");
  await noSeriousProblem(page, "a chart of the library on a dashboard");
  await page.getByRole("link", { name: "Change it everywhere it is used" }).click();
  await expect(page.locator("#preview svg")).toBeVisible();
  await page.fill("#chart-title", "Kept for everybody");
  await Promise.all([page.waitForResponse((r) => r.url().includes("/charts/change")), page.keyboard.press("Tab")]);
  await page.goto("/dashboards/told-twice");
  await settled(page);
  await expect(page.locator("h2", { hasText: "Kept for all" }), "published stays until it is published").toBeVisible();
  await page.goto("/charts");
  await page.getByRole("link", { name: /Kept for everybody/ }).click();
  await Promise.all([page.waitForURL(/charts$/), page.getByRole("button", { name: "Change it everywhere" }).click()]);
  await page.goto("/dashboards/told-twice");
  await settled(page);
  await expect(page.locator("h2", { hasText: "Kept for everybody" })).toBeVisible();

  // The history says what each version changed, and leads back.
  await page.goto("/dashboards/told-twice/history");
  await expect(page.locator(".versions > li")).toHaveCount(2);
  await expect(page.locator(".versions > li").first()).toContainText("is version 2 of the library's, was 1");
  await noSeriousProblem(page, "history");
  await page.getByRole("button", { name: "go back to it" }).click();
  await page.waitForURL(/told-twice\/edit/);
  await page.locator("section.widget h2", { hasText: "Kept for all" }).waitFor();
  expect(wrong.filter((w) => !w.includes("412"))).toEqual([]);
});

// What a change of a dataset reaches is said before it is kept.
test("a change of a dataset that charts stand on", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/data/datasets/berth-stays?part=document");
  const was = await page.inputValue("#d-doc");
  const document = JSON.parse(was);
  document.fields = document.fields.filter((f: { name: string }) => f.name !== "nights");
  await page.fill("#d-doc", JSON.stringify(document));
  await page.getByRole("button", { name: "Keep the document" }).click();
  await expect(page.locator(".unkept")).toContainText("With this change these would no longer work");
  await expect(page.locator(".unkept")).toContainText("has no field “nights”");
  await noSeriousProblem(page, "what a change reaches");
  await page.getByRole("link", { name: "leave it as it was" }).click();
  await page.goto("/data/datasets/berth-stays?part=history");
  await expect(page.locator(".versions > li")).toHaveCount(1);
  expect(wrong.filter((w) => !w.includes("409"))).toEqual([]);
});

test("pages of a dashboard are added, named, moved, copied and taken off, and undone", async ({ page }) => {
  await signIn(page);
  await page.goto("/dashboards/berths/edit");
  await settled(page);
  const tabs = page.locator("#pages [data-page]");
  const was = await tabs.allTextContents(), first = was[0];
  await page.getByRole("button", { name: "+ page" }).press("Enter");
  await expect(tabs).toHaveText([...was, "Page"]);
  await expect(page.locator("#page-empty")).toBeVisible();
  await page.getByText("This page", { exact: true }).click();
  await page.locator("#page-title").fill(first);
  await page.keyboard.press("Tab");
  await expect(page.locator("#trouble")).toContainText("There is a page called");
  await page.locator("#page-title").fill("By length");
  await page.keyboard.press("Tab");
  await expect(tabs).toHaveText([...was, "By length"]);
  await page.getByRole("button", { name: "earlier", exact: true }).click();
  await expect(tabs.nth(was.length - 1)).toHaveText("By length");
  await noSeriousProblem(page, "pages in the dashboard editor");
  // What is added goes to the page that is seen.
  await page.locator("#add summary").click();
  await page.locator("#add").getByRole("button", { name: "text" }).click();
  await expect(page.locator("#editor .widget")).toHaveCount(1);
  await expect(tabs.and(page.locator("[aria-current]"))).toHaveText("By length");
  await page.getByRole("button", { name: "duplicate" }).click();
  await expect(tabs.and(page.locator("[aria-current]"))).toHaveText("By length 2");
  await expect(page.locator("#editor .widget")).toHaveCount(1);
  await page.getByRole("button", { name: "take the page off" }).click();
  await expect(tabs).toHaveCount(was.length + 1);
  await page.locator("#undo").click();
  await expect(tabs).toHaveCount(was.length + 2);
  await expect(page.locator("#saved")).toContainText("draft saved");
  await page.goto("/dashboards/berths/edit?page=By+length+2");
  await expect(tabs.and(page.locator("[aria-current]"))).toHaveText("By length 2");
});
