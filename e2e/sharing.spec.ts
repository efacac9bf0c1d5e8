import { expect, test, type Page } from "@playwright/test";
import { builder, complaints, copied, eskadel, noSeriousProblem, publish, settled, signIn } from "./help";

/** Chooses a person or a team in a field by the keyboard. */
async function whom(page: Page, letters: string, label: string) {
  await page.locator("#sharing-find").fill(letters);
  await expect(page.getByRole("option", { name: label })).toBeVisible();
  await page.keyboard.press("Enter");
  await expect(page.locator("#sharing-find")).toHaveValue(label);
}

// An author keeps a dashboard to herself, lets a colleague see it in place, sends exactly what she sees, and hands
// it over; the colleague is told, and finds it so.
test("a dashboard is shared, passed on and handed over", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.selectOption("#copy", { label: "as a copy of Hazards" });
  await page.fill("#title", "Quiet copy");
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/quiet-copy\/edit/);
  await page.locator("#publish").click();
  await page.locator("dialog").getByRole("button", { name: "Publish" }).click();
  await page.waitForURL(/dashboards\/quiet-copy$/);
  await page.goto("/dashboards/quiet-copy/edit");
  const line = page.locator(".filing");
  await line.getByRole("link", { name: "share …" }).press("Enter");
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Seen by").selectOption({ label: "only its keeper" });
  await expect(dialog.locator(".said")).toContainText("only Edda Harrow sees it");
  await whom(page, "ma q", "Mara Quill");
  await dialog.getByLabel("What they may do").selectOption({ label: "may edit it" });
  await dialog.getByRole("button", { name: "Let them" }).press("Enter");
  await expect(dialog.locator(".said")).toHaveText("Mara Quill may edit it.");
  await noSeriousProblem(page, "who sees a dashboard");
  await dialog.getByRole("button", { name: "Done" }).press("Enter");
  await expect(line).toContainText("and 1 besides");
  await expect(page.locator("#seen")).toHaveValue("keeper");

  // Exactly what is seen, with a line.
  await page.goto("/dashboards/quiet-copy");
  await settled(page);
  await page.locator(".mark").first().click();
  await expect(page).toHaveURL(/view=/);
  const view = new URL(page.url()).searchParams.get("view");
  await page.getByRole("link", { name: "pass it on …" }).click();
  await expect(dialog.locator("#exact-link")).toContainText(`view=${view}`);
  await whom(page, "mara", "Mara Quill");
  await dialog.getByRole("button", { name: "Next" }).click();
  await expect(dialog).toContainText("They may see it, each of their own records");
  const words = dialog.getByLabel("A line to go with it");
  await words.pressSequentially("Look, @mar");
  await expect(dialog.getByRole("option", { name: "Mara Quill" })).toBeVisible();
  await words.press("Enter");
  await expect(words).toHaveValue("Look, @Mara Quill ");
  await words.fill("Look at this one");
  await noSeriousProblem(page, "passing on");
  await dialog.getByRole("button", { name: "Send it" }).click();
  await expect(dialog.locator(".said")).toHaveText("Mara Quill is told.");

  const hers = await (await browser.newContext({ baseURL: eskadel })).newPage();
  await signIn(hers, builder);
  await hers.getByRole("link", { name: /\d new/ }).click();
  await expect(hers.locator(".notices li").first()).toContainText("Edda Harrow passes “Quiet copy” on to you");
  await expect(hers.locator(".notices li").first()).toContainText("“Look at this one”");
  await noSeriousProblem(hers, "notices");
  await hers.locator(".notices li").first().getByRole("button", { name: "look" }).click();
  await hers.waitForURL(new RegExp(`quiet-copy\\?.*view=${view}`));
  await settled(hers);
  await expect(hers.locator("#line .narrowed")).toBeVisible();

  await page.goto("/sharing?kind=dashboard&name=quiet-copy"); // a page of its own, too
  await page.getByText("Edda Harrow keeps it").press("Enter");
  await page.locator("#sharing-keeper").fill("mara");
  await page.getByRole("option", { name: "Mara Quill" }).click();
  await page.getByRole("button", { name: "Hand it over" }).click();
  await expect(page.getByRole("heading", { name: "no longer yours" })).toBeVisible();
  await page.goto("/dashboards/quiet-copy");
  await expect(page.locator(".where")).toContainText("kept by Mara Quill");
  expect(wrong).toEqual([]);
});

// An open link asks for its password, shows the dashboard to somebody who is not signed in, and ends at once.
test("an open link shows a dashboard until it is ended", async ({ page, browser }) => {
  await signIn(page);
  await page.goto("/dashboards/berths/pass-on");
  await page.getByText("An open link").click();
  await page.getByLabel("For whom").fill("Harbour office");
  await page.getByLabel("Password, if it is to ask for one").fill("brass rope");
  await noSeriousProblem(page, "making an open link");
  await page.getByRole("button", { name: "Make it" }).click();
  const link = await page.locator("#open-link").innerText();
  await page.setViewportSize({ width: 390, height: 800 });
  await page.emulateMedia({ colorScheme: "dark" });
  await noSeriousProblem(page, "open links, dark and narrow");
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);

  const visitor = await (await browser.newContext()).newPage();
  const wrong = complaints(visitor);
  await visitor.goto(link);
  await noSeriousProblem(visitor, "an open link's password");
  await visitor.getByLabel("The password of this link").fill("wet rope");
  await visitor.keyboard.press("Enter");
  await expect(visitor.locator(".wrong")).toContainText("not the password");
  await visitor.getByLabel("The password of this link").fill("brass rope");
  await visitor.keyboard.press("Enter");
  await expect(visitor.locator("#line b").first()).toBeVisible();
  await settled(visitor);
  await noSeriousProblem(visitor, "what an open link shows");
  await page.reload();
  await expect(page.locator("li", { hasText: "Harbour office" })).toContainText("opened once");
  await page.getByRole("button", { name: "End the link for Harbour office" }).click();
  await expect(page.locator(".said")).toContainText("shows nothing any more");
  await visitor.locator("[data-refresh]").click();
  await expect(visitor.locator("#reading")).toContainText("shows nothing any more");
  await visitor.reload();
  await expect(visitor.locator("main")).toContainText("shows nothing any more");
  expect(wrong.filter((w) => !/status of 404/.test(w))).toEqual([]);
});

// A builder looks at a draft as a foreman of Tarn Quay would see it, beside her own view.
test("a dashboard is viewed as somebody else would see it", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/dashboards/yard-today");
  await page.getByRole("link", { name: "view as …" }).click();
  await noSeriousProblem(page, "viewing as");
  await page.getByLabel("foreman").check();
  await page.getByLabel("Tarn Quay").check();
  await page.getByLabel("beside it as I see it").check();
  await page.getByRole("button", { name: "Look" }).press("Enter");
  const row = page.locator("tbody tr", { hasText: "Yard jobs" });
  await expect(row).toContainText("at your yard");
  const [some, all] = await Promise.all([row.locator("td").nth(0).innerText(), row.locator("td").nth(1).innerText()]);
  const theirs = page.frameLocator("iframe >> nth=0"), own = page.frameLocator("iframe >> nth=1");
  await expect(theirs.locator("#line")).toContainText(`of the ${some} you may see`);
  await expect(own.locator("#line")).toContainText(`of the ${all.replace(/\D*$/, "")} you may see`);
  await expect(theirs.locator("#w-cost .mark").first()).toBeVisible();
  await expect(theirs.locator("[data-filter]").first()).toBeVisible();
  await noSeriousProblem(page, "viewed as a foreman");
  await page.goto("/people/log");
  await expect(page.locator("tbody tr").first()).toContainText("yard-today, as a viewer who is foreman, with yard Tarn Quay");
  expect(wrong).toEqual([]);
});

// Somebody who looks at what their team sees is taken out of it meanwhile: the next thing that they ask for is refused.
test("whoever leaves a team sees no more of what it saw, from the next request on", async ({ page, browser }) => {
  await signIn(page, builder);
  await page.goto("/people/teams");
  await page.getByText("A new team").click();
  await page.locator("#t-name-0").fill("Moorings");
  await page.locator("form", { has: page.locator("#t-name-0") }).getByLabel("Edda Harrow").check();
  await page.locator("form", { has: page.locator("#t-name-0") }).getByRole("button", { name: "Keep" }).click();
  await copied(page, "hazards", "moored-hazards", "Moored hazards");
  await publish(page);
  await page.goto("/sharing?kind=dashboard&name=moored-hazards");
  await page.getByLabel("Seen by").selectOption({ label: "the team Moorings" });
  await expect(page.locator(".said")).toContainText("the team Moorings sees it");

  const edda = await (await browser.newContext({ baseURL: eskadel })).newPage();
  await signIn(edda);
  await edda.goto("/dashboards/moored-hazards");
  await settled(edda);
  await expect(edda.locator(".mark").first()).toBeVisible();
  await page.goto("/people/teams");
  const team = page.locator("li", { hasText: "Moorings" });
  await team.getByText("change", { exact: true }).click();
  await team.getByLabel("Edda Harrow").uncheck();
  await team.getByRole("button", { name: "Keep" }).click();
  await expect(team).toContainText("nobody");
  await edda.getByRole("button", { name: "read again" }).click();
  await expect(edda.locator(".widget [role=alert]").first()).toContainText("There is no");
  await expect(edda.locator(".mark")).toHaveCount(0);
  await edda.reload();
  await expect(edda.locator("main")).toContainText("There is no");
  await edda.context().close();
});
