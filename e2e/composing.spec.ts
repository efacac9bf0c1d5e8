import { expect, test } from "@playwright/test";
import { builder, complaints, copied, eskadel, invitation, noSeriousProblem, publish, settled, signIn } from "./help";

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

  await publish(page);
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

// What reaches what is seen at a glance, changed by cells, and so it is in reading.
test("what filters and clicks reach is changed in a table", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await copied(page, "yard-today", "reached", "Reached");
  await page.locator("#reach summary").press("Enter");
  const cell = (of: string, widget: string) => page.locator(`#reach .reach-cell[data-reached='${widget}']`).and(page.locator(`[data-filter='${of}'], [data-from='${of}']`));
  await expect(cell("when", "starts")).toHaveText("Started");
  await expect(cell("what", "money")).toHaveText("–");
  await expect(cell("cost", "parts")).toHaveText("Opened, Kind");
  await noSeriousProblem(page, "what reaches what", "#reach");
  const choose = async (button: ReturnType<typeof cell>, how: () => Promise<unknown>) => {
    await button.press("Enter");
    await Promise.all([page.waitForResponse((r) => r.url().endsWith("/reach/change") && r.ok()), how()]);
    await expect(page.locator("#popover")).toBeHidden();
  };
  await choose(cell("cost", "money"), () => page.locator("#popover").getByLabel(/^To Opened answers/).selectOption({ label: "Issued" }));
  await expect(cell("cost", "money")).toHaveText("Issued, in part");
  await choose(page.locator("[data-selects='cost']"), () => page.getByLabel("Kind", { exact: true }).uncheck());
  await expect(cell("cost", "money")).toHaveText("Issued");
  await expect(cell("cost", "parts")).toHaveText("Opened");
  await choose(cell("cost", "crews"), () => page.getByRole("button", { name: "does nothing to it" }).press("Enter"));
  await expect(cell("cost", "crews")).toHaveText("–");
  await expect(cell("cost", "crews")).toBeFocused();
  await choose(cell("when", "parts"), () => page.getByRole("button", { name: "narrows it, by Promised" }).click());
  await expect(cell("when", "parts")).toHaveText("Promised");
  await cell("when", "parts").click();
  await noSeriousProblem(page, "what may be chosen for a cell", "#popover");
  await page.keyboard.press("Escape");
  await choose(page.locator("[data-column='parts']"), () => page.getByRole("button", { name: "shows nothing until a click reaches it" }).click());
  await expect(page.locator("#parts")).toContainText("Nothing is chosen yet");
  await page.getByText("Readers may").click();
  await expect(page.getByLabel("list the records behind marks")).toBeChecked();
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), page.getByLabel("ask questions of their own").uncheck()]);
  await page.locator("#undo").click();
  await expect(page.getByLabel("ask questions of their own")).toBeChecked();
  await expect(page.locator("#saved")).toContainText("draft saved");

  await publish(page);
  await settled(page);
  await expect(page.locator("#w-parts")).toContainText("Nothing is chosen yet");
  const was = await page.locator("#w-crews table").innerText();
  await page.locator("#w-cost .chart").focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Space");
  await settled(page);
  await expect(page.locator("#w-parts .chart")).toBeVisible();
  await expect(page.locator("#w-crews")).toContainText("as its author wants it");
  expect(await page.locator("#w-crews table").innerText()).toBe(was);
  await expect(page.locator("#w-money")).not.toContainText("Not narrowed");
  expect(wrong).toEqual([]);
});

// A chart is added, chosen and changed under the dashboard that it stands on.
test("the chosen chart opens its sentence under the dashboard", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.fill("#title", "Said in place");
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/said-in-place\/edit/);
  const panel = page.locator("#panel"), saved = () => page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok());
  await page.locator("#add summary").press("Enter");
  await page.locator("#add").getByRole("button", { name: "chart" }).press("Enter");
  // It begins with the dataset of the chart that was placed last, where there is one; the focus is where one goes on.
  await expect.poll(() => page.evaluate(() => !!document.activeElement?.closest("#panel button"))).toBe(true);
  await noSeriousProblem(page, "a chart that is added to a dashboard");
  if (await panel.locator("#choices .choice").count() === 0) await panel.locator("[data-part='dataset']").press("Enter");
  await Promise.all([saved(), panel.locator("#choices .choice", { hasText: "Hazards" }).first().press("Enter")]);
  await panel.locator("[data-part='dataset']").press("Enter");
  await Promise.all([saved(), panel.locator("#choices .choice", { hasText: "Yard jobs" }).first().press("Enter")]);
  const chart = page.locator("section.widget").first();
  await expect(chart.locator("svg.drawing")).toBeVisible();
  await panel.locator("[data-part='add']").press("Enter");
  await panel.locator("#choices .choice", { hasText: "split by …" }).press("Enter");
  await Promise.all([saved(), panel.locator("#choices .choice", { hasText: "Kind" }).first().press("Enter")]);
  await expect(panel.locator(".sentence")).toContainText("split by Kind");
  await expect(chart.locator(".legend")).toContainText("rework");
  await noSeriousProblem(page, "a chart's sentence under its dashboard");
  // A click on an axis of the chart opens its phrase; so does its name.
  await Promise.all([saved(), panel.locator("#chart-title").fill("Jobs, said here").then(() => page.keyboard.press("Tab"))]);
  await expect(chart.locator("h2")).toHaveText("Jobs, said here");
  await page.locator("#undo").click();
  await expect(panel.locator("#chart-title")).not.toHaveValue("Jobs, said here");
  await page.locator("#undo").click();
  await expect(panel.locator(".sentence")).not.toContainText("split by Kind");
  await page.locator("#redo").click();
  await expect(panel.locator(".sentence")).toContainText("split by Kind");
  await panel.getByRole("button", { name: "close" }).click();
  await expect(panel).toBeHidden();
  await expect(chart.locator("h2")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(panel.locator(".sentence button").first()).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(panel).toBeHidden();
  // It becomes one of the library, and a copy of the dashboard's own again.
  await chart.locator(".widget-body").click({ position: { x: 4, y: 4 } });
  await panel.getByRole("button", { name: "move it into the library" }).click();
  await expect(panel).toContainText("This chart is kept in the library");
  await expect(panel.getByRole("link", { name: "Change it everywhere it is used" })).toBeVisible();
  await noSeriousProblem(page, "a chart of the library under its dashboard");
  await panel.getByRole("button", { name: "make an own copy here" }).click();
  await expect(panel.locator(".sentence")).toContainText("split by Kind");
  // What is under way when another is chosen, or none, is kept.
  let go = () => {};
  const held = new Promise<void>((done) => { go = done; });
  await page.route("**/charts/change", async (r) => { await held; await r.continue(); });
  await panel.locator("#chart-title").fill("Kept all the same");
  await page.keyboard.press("Tab");
  await panel.getByRole("button", { name: "close" }).click();
  await Promise.all([saved(), go()]);
  await expect(chart.locator("h2")).toHaveText("Kept all the same");
  await page.unroute("**/charts/change");
  await page.goto("/dashboards/said-in-place/edit");
  await settled(page);
  await expect(chart.locator(".legend")).toContainText("rework");
  await expect(chart.locator("h2")).toHaveText("Kept all the same");
  expect(wrong).toEqual([]);
});

// What publishing means is said in words, what is missing is led to, and undo outlives a reload.
test("a draft is looked at, undone after a reload, and published in words", async ({ page, context }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.fill("#title", "In words");
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/in-words\/edit/);
  await page.locator("#add summary").click();
  await page.locator("#add").getByRole("button", { name: "text" }).click();
  await expect(page.locator("textarea.widget-text-input")).toBeFocused();
  await page.keyboard.type(" Read this first.");
  await Promise.all([page.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), page.keyboard.press("Tab")]);
  await page.getByRole("button", { name: "how words are set" }).press("Enter");
  await expect(page.locator("#popover")).toContainText("a heading");
  await noSeriousProblem(page, "how words are set", "#popover");
  await page.keyboard.press("Escape");
  await page.locator("#add summary").click();
  await page.locator("#add").getByRole("button", { name: "divider" }).click();
  await expect(page.locator("#editor hr")).toBeVisible();
  // What cannot be saved is saved by itself as soon as there is an answer again.
  await page.route("**/draft", (r) => r.abort("connectionrefused"));
  await page.fill("#answers", "Kept as soon as it answers");
  await page.keyboard.press("Tab");
  await expect(page.locator("#saved")).toHaveText("not saved");
  await expect(page.locator("#trouble")).toContainText("does not answer");
  await page.unroute("**/draft");
  await expect(page.locator("#saved")).toContainText("draft saved");
  await expect(page.locator("#trouble")).toBeEmpty();
  const document = JSON.parse((await page.getAttribute("#editor", "data-document"))!);
  const token = (await page.getAttribute("body", "data-csrf"))!;
  await publish(page);
  await expect(page.locator("main")).toContainText("Read this first.");
  await expect(page.locator("main hr")).toBeVisible();

  // A chart without records keeps it from being published; the words lead to it.
  await page.goto("/dashboards/in-words/edit");
  document.pages[0].widgets = [{ id: "bare", at: [0, 0, 6, 4], chart: { version: 2, form: "columns", measures: [{ count: "records" }] } }];
  const bare = await page.request.put("/api/v1/dashboards/in-words", { data: document, headers: { "X-CSRF-Token": token, "If-Match": "*" } });
  expect(bare.ok(), await bare.text()).toBe(true);
  await page.goto("/dashboards/in-words/edit");
  await page.locator("#publish").click();
  const dialog = page.locator("#publishing");
  await expect(dialog).toContainText("has no records yet");
  await expect(dialog).toContainText("is taken off Overview");
  await expect(dialog.locator("[data-publish]")).toBeDisabled();
  await noSeriousProblem(page, "what keeps a dashboard from being published", "#publishing");
  await expect(dialog.locator("[data-lead]")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(dialog).toBeHidden();
  await expect(page.locator("#panel #choices .choice").first()).toBeFocused();
  await page.locator("#panel #choices .choice", { hasText: "Yard jobs" }).first().click();
  await expect(page.locator("#bare svg.drawing")).toBeVisible();
  await expect(page.locator("#saved")).toContainText("draft saved");

  // Steps outlive a reload.
  await page.reload();
  await settled(page);
  await page.locator("#undo").click();
  await expect(page.locator("#bare")).toContainText("no records yet");
  await page.locator("#redo").click();
  await expect(page.locator("#bare svg.drawing")).toBeVisible();

  // The draft is looked at as readers would see it, and nobody else sees it.
  await page.getByRole("link", { name: "look at the draft" }).click();
  await settled(page);
  await expect(page.locator("main")).toContainText("this is the draft");
  await expect(page.locator("#w-bare svg.drawing")).toBeVisible();
  await expect(page.locator("#line")).toContainText("you may see");

  // Another window is told of, and what it changes is taken over.
  const other = await context.newPage();
  await other.goto("/dashboards/in-words/edit");
  await page.goto("/dashboards/in-words/edit");
  await expect(page.locator("#others")).toContainText("you, in another window");
  await other.fill("#answers", "What is to be read first");
  await Promise.all([other.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), other.keyboard.press("Tab")]);
  await page.evaluate(() => document.dispatchEvent(new Event("visibilitychange")));
  await expect(page.locator("#answers")).toHaveValue("What is to be read first");
  await publish(page);
  await expect(page.locator("#w-bare svg.drawing")).toBeVisible();
  await page.goto("/dashboards/in-words/history");
  await expect(page.locator(".versions > li").first()).toContainText("is taken off Overview.");
  await noSeriousProblem(page, "a history in words");
  await page.getByRole("link", { name: "beside version 1" }).click();
  await settled(page);
  await expect(page.locator(".side").nth(0)).toContainText("Read this first.");
  await expect(page.locator(".side").nth(1).locator(".differs svg.drawing")).toBeVisible();
  await expect(page.locator("main")).toContainText("is added to Overview");
  await noSeriousProblem(page, "two versions beside each other");
  expect(wrong).toEqual([]);
});

// Layouts place a whole page, several widgets match the first, and a phone has an order of its own.
test("widgets are arranged by layouts, together, and for a phone", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await copied(page, "berths", "arranged", "Arranged");
  /** Where the widgets of the page stand, in the order of the document. */
  const places = () => page.evaluate(() => [...document.querySelectorAll<HTMLElement & { gridstackNode: Record<string, number> }>(".grid-stack-item")].map((i) => {
    const { x, y, w, h } = i.gridstackNode;
    return [x, y, w, h];
  }).sort((a, b) => a[1] - b[1] || a[0] - b[0]));
  const was = await places(), n = was.length;
  expect(n).toBeGreaterThan(2);
  await page.locator("#arrange summary").press("Enter");
  const kept = () => page.waitForResponse((r) => r.url().endsWith("/place") && r.ok());
  await noSeriousProblem(page, "layouts and the order on a phone");
  await Promise.all([kept(), page.getByRole("button", { name: "two columns" }).press("Enter")]);
  await expect.poll(async () => (await places()).slice(0, 2).map(([x, , w]) => [x, w])).toEqual([[0, 6], [6, 6]]);
  await page.locator("#undo").click();
  await expect.poll(places, "in one step").toEqual(was);
  await expect(page.locator("#saved")).toContainText("draft saved");

  // Several at once, by the keyboard and by the mouse.
  const heads = page.locator("#editor .widget h2");
  await heads.nth(0).press("Shift+Enter");
  await page.locator("#editor .widget").nth(1).click({ modifiers: ["Shift"], position: { x: 4, y: 8 } });
  const bar = page.locator("#several");
  await expect(bar).toContainText("2 chosen");
  await noSeriousProblem(page, "several chosen widgets", "#several");
  await Promise.all([kept(), bar.getByRole("button", { name: "as large" }).click()]);
  const size = () => page.evaluate(() => [...document.querySelectorAll(".together-chosen")].map((w) => { const r = w.getBoundingClientRect(); return `${Math.round(r.width)} ${Math.round(r.height)}`; }));
  await expect.poll(async () => new Set(await size()).size).toBe(1);
  // They are moved together: by the keyboard, and dragged by one of them.
  const rows = () => page.evaluate(() => [...document.querySelectorAll(".together-chosen")].map((w) => Number(w.closest(".grid-stack-item")?.getAttribute("gs-y") ?? 0)));
  const at = await rows();
  await Promise.all([kept(), page.locator(".together-chosen h2").first().press("ArrowDown")]);
  await expect(page.locator("#said")).toContainText("Moved together");
  await expect(bar).toContainText("2 chosen");
  const box = (await page.locator(".together-chosen h2").first().boundingBox())!;
  await page.mouse.move(box.x + 20, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x + 20, box.y + 300, { steps: 8 });
  await page.mouse.move(box.x + 20, box.y + 700, { steps: 8 });
  await Promise.all([kept(), page.mouse.up()]);
  await expect(bar).toContainText("2 chosen");
  await expect.poll(async () => (await rows()).every((y, i) => y > at[i]), "both went down").toBe(true);
  await settled(page);
  await Promise.all([kept(), bar.getByRole("button", { name: "take them off" }).click()]);
  await expect(heads).toHaveCount(n - 2);
  await expect(page.locator(".narrow-order li")).toHaveCount(n - 2);
  await expect(bar).toBeHidden();
  await page.locator("#undo").click();
  await expect(heads).toHaveCount(n);

  // What a phone shows, and in which order.
  const list = page.locator(".narrow-order li");
  await expect(list).toHaveCount(n);
  const first = (await list.nth(0).locator("label").innerText()).trim(), second = (await list.nth(1).locator("label").innerText()).trim();
  await Promise.all([kept(), list.nth(1).getByRole("button", { name: /earlier$/ }).press("Enter")]);
  await expect(list.nth(0)).toContainText(second);
  await expect(list.nth(0).getByRole("button", { name: /earlier$/ })).toBeFocused();
  const third = (await list.nth(2).locator("label").innerText()).trim();
  await Promise.all([kept(), list.nth(2).getByRole("checkbox").uncheck()]);
  await expect(list.last()).toContainText(third);
  await expect(list.last()).toHaveClass("unseen");
  const phone = await browser.newPage({ viewport: { width: 390, height: 800 } });
  await signIn(phone);
  await phone.goto("/dashboards/arranged?draft=yes");
  await settled(phone);
  await expect(phone.locator(".sheet > .widget h2").nth(0)).toHaveText(second);
  await expect(phone.locator(".sheet > .widget h2").nth(1)).toHaveText(first);
  await expect(phone.locator(".sheet > .widget")).toHaveCount(n - 1);
  // In a narrow window the editor shows one column, and the draft keeps its places.
  await page.setViewportSize({ width: 390, height: 800 });
  await expect.poll(async () => new Set((await places()).map(([x]) => x)).size).toBe(1);
  await page.setViewportSize({ width: 1280, height: 800 });
  await expect.poll(async () => (await places()).some(([x]) => x > 0)).toBe(true);
  expect(wrong).toEqual([]);
});

// What is kept for a team: its builder makes the team, and who is not in it finds nothing of it.
test("teams see what is theirs, dashboards, charts and datasets", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/people");
  await page.getByText("Invite somebody").click();
  await page.getByLabel("Name", { exact: true }).fill("Orla Wend");
  await page.getByLabel("E-mail address").fill("orla.wend@skerrin.example");
  await page.getByRole("button", { name: "Invite" }).click();
  const link = await invitation(page, "orla.wend@skerrin.example");
  await page.goto("/people/teams");
  await page.getByText("A new team").click();
  const team = page.locator("details[open] form", { hasText: "In it are" });
  await team.getByLabel("Name").fill("Engines");
  await team.getByLabel("Mara Quill").check();
  await team.getByRole("button", { name: "Keep" }).click();
  await expect(page.getByText("has nothing of its own yet")).toBeVisible();
  await noSeriousProblem(page, "people with teams");
  for (const [address, heading] of [["/dashboards/hazards/edit", "h2.group"], ["/charts/edit?at=library/open-hazards-by-yard", "h2"], ["/data/datasets/hazards", "h3.group"]]) {
    await page.goto(address);
    await page.locator("#seen").selectOption({ label: "the team Engines" });
    await expect(page.locator(".filing")).toContainText("the team Engines sees it");
    await noSeriousProblem(page, `${address} kept for a team`);
    await page.goto(address.split("/edit")[0].replace(/(hazards|datasets.hazards)$/, ""));
    await expect(page.locator(heading, { hasText: "The team Engines sees" })).toBeVisible();
  }
  const other = await (await browser.newContext()).newPage();
  await other.goto(link);
  await other.getByLabel("Password").fill("brass and wet rope");
  await other.keyboard.press("Enter");
  await other.waitForURL(`${eskadel}/`);
  for (const address of ["/dashboards/hazards", "/charts/edit?like=library/open-hazards-by-yard", "/data/datasets/hazards"]) {
    await other.goto(address);
    await expect(other.locator("main")).toContainText("There is no");
  }
  await page.goto("/people/teams");
  await page.getByText("sees 3 things of its own").waitFor();
  await page.locator("li", { hasText: "of its own" }).getByText("change").click();
  await page.getByRole("button", { name: "Remove the team Engines" }).click();
  await expect(page.locator(".wrong")).toContainText("What is kept for this team stays");
  for (const address of ["/dashboards/hazards/edit", "/charts/edit?at=library/open-hazards-by-yard", "/data/datasets/hazards"]) {
    await page.goto(address);
    await page.locator("#seen").selectOption({ label: "all who sign in" });
    await expect(page.locator(".filing")).toContainText("all who sign in see it");
  }
  expect(wrong).toEqual(["Failed to load resource: the server responded with a status of 409 (Conflict)"]); // the removal
});

// Home: favourites first, folders, everything found by a few letters, and a copy as a beginning.
test("home finds what there is, keeps favourites and folders, and begins with a copy", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.getByRole("button", { name: "Hazards: make it a favourite" }).press("Enter");
  await expect(page.locator("h2.group").first()).toHaveText("Favourites");
  await expect(page.locator("ul.home").first()).toContainText("Hazards");
  await noSeriousProblem(page, "home with favourites");
  await page.fill("#find", "parts wait");
  await expect(page.locator(".found")).toContainText("Jobs that wait for parts now");
  await expect(page.locator(".found")).toContainText("finding");
  await noSeriousProblem(page, "what is found besides dashboards");
  await page.fill("#find", "");
  await page.locator("li", { hasText: "Hazards" }).getByRole("link", { name: "copy" }).click();
  await expect(page.locator("#copy")).toHaveValue("hazards");
  await page.fill("#title", "Dangers");
  await page.getByLabel("with its filters").uncheck();
  await page.getByRole("button", { name: "New dashboard" }).click();
  await page.waitForURL(/dangers\/edit/);
  await settled(page);
  await expect(page.locator("#line")).toContainText("Narrowed by nothing yet");
  await expect(page.locator("#editor .widget").first()).toBeVisible();
  await page.fill("#folder", "Safety/yards");
  await page.keyboard.press("Tab");
  await expect(page.locator(".filing")).toContainText("It stands in Safety / yards; all who sign in see it.");
  await page.goto("/");
  await expect(page.locator("h2.group", { hasText: "Safety / yards" })).toBeVisible();
  await page.getByRole("button", { name: "Hazards: no longer a favourite" }).click();
  await expect(page.locator("h2.group", { hasText: "Favourites" })).toHaveCount(0);
  expect(wrong).toEqual([]);
});

// Where drills lead is set by hand, tried where it stands, and said where it leads to nothing.
test("drills are set up, tried and mended", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await copied(page, "money", "drilled-money", "Drilled money");
  const drill = page.locator("#drilling"), kept = () => page.waitForResponse((r) => r.url().endsWith("/drilling/change") && r.ok());
  await drill.locator("summary").press("Enter");
  const overdue = drill.locator("[data-down=margin]");
  await expect(overdue, "as its dataset says").toHaveText("Service › Customer");

  // A path of its own, by the keyboard, step by step.
  await overdue.press("Enter");
  const box = page.locator("#popover");
  await expect(box.getByText("as Invoice lines: Service › Customer")).toBeVisible();
  await Promise.all([kept(), box.locator("#drill-step").selectOption({ label: "Yard" })]);
  await Promise.all([kept(), box.locator("#drill-step").selectOption({ label: "Customer" })]);
  await expect(overdue).toHaveText("Service › Yard › Customer");
  await noSeriousProblem(page, "a path of a widget's own");
  await Promise.all([kept(), box.getByRole("button", { name: "Take Yard away" }).click()]);
  await expect(overdue).toHaveText("Service › Customer");
  await page.keyboard.press("Escape");

  // A new way is guessed by names; what it leads to is seen at once.
  await Promise.all([kept(), drill.getByRole("button", { name: "+ lead through to another place" }).click()]);
  const form = drill.locator(".way-form");
  await expect(form.locator(".choices-head")).toContainText("to the page Detail");
  await Promise.all([kept(), form.getByLabel("Services, by yard, Detail").check()]);
  await expect(form.getByLabel("Yard fills"), "guessed where names agree").toHaveValue("where");
  await form.getByRole("button", { name: "try it" }).click();
  await expect(form.locator(".tried")).toContainText(/From the mark issued .+ it leads to the page Detail, which shows [\d,]+ of [\d,]+ invoice lines/);
  await noSeriousProblem(page, "a way to another page");
  await Promise.all([kept(), form.getByLabel("to", { exact: true }).selectOption({ label: "an address of the host app" })]);
  await form.getByLabel("which is").fill("/invoices?line={service}");
  await Promise.all([kept(), page.keyboard.press("Tab")]);
  await form.getByLabel("which is").fill("https://elsewhere.example/");
  await form.getByLabel("which is").blur();
  await expect(form.locator(".wrong")).toContainText("path of the host app");
  await Promise.all([kept(), form.getByRole("button", { name: "take it away" }).click()]);
  await expect(drill.locator(".ways li")).toHaveCount(1);

  // A page that is drilled to is taken off: it is said at its place, and publishing leads there.
  await page.locator("#pages").getByRole("button", { name: "Detail" }).click();
  await page.locator(".page-fold summary").click();
  await page.getByRole("button", { name: "take the page off" }).click();
  await expect(drill.locator(".ways li")).toContainText("The page “Detail” is gone");
  await drill.locator("summary").click();
  await page.getByRole("button", { name: "Publish" }).click();
  await page.locator("#publishing").getByRole("button", { name: /to the page Detail/ }).click();
  await expect(drill.locator(".way-form")).toBeVisible();
  await Promise.all([kept(), drill.getByRole("button", { name: "take it away" }).click()]);
  await expect(drill.locator(".nothing")).toContainText("No way leads from this page yet");
  await page.locator("#undo").click();
  await expect(drill.locator(".ways li")).toHaveCount(1);
  expect(wrong.filter((w) => !/status of 422/.test(w)), "besides the address that was refused").toEqual([]);
});

// A ready-made dashboard says what it guesses, is changed by saying otherwise, and is a dashboard like
// any other then.
test("a ready-made dashboard is guessed, changed and made", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page);
  await page.goto("/");
  await page.getByRole("link", { name: "a ready-made one" }).press("Enter");
  await noSeriousProblem(page, "the ready-made ones");
  await page.getByRole("link", { name: "Pipeline" }).press("Enter");
  await expect(page.getByLabel("How it came is its")).toHaveValue("came_by");
  await expect(page.getByLabel("booked in", { exact: true })).toBeChecked();
  await expect(page.getByLabel("declined", { exact: true })).not.toBeChecked();
  const preview = page.locator(".ready-preview");
  await expect(preview.locator("svg").first()).toBeVisible();
  await noSeriousProblem(page, "a ready-made dashboard before it is made");

  // What is not said is left out, and that is said; what is needed is asked for.
  await page.getByLabel("How it came is its").selectOption({ label: "nothing: no field says it" });
  await expect(preview.locator("h2", { hasText: "How enquiries came" })).toHaveCount(0);
  await page.locator(".ready-left summary").click();
  await expect(page.locator(".ready-left")).toContainText("no field says it: “How it came is its …”");
  await page.getByLabel("How far an enquiry has come stands in").selectOption("");
  await expect(page.locator("#ready-place .warn")).toContainText("choose which field says that");
  await page.getByLabel("How far an enquiry has come stands in").selectOption({ label: "Stage" });
  await page.getByLabel("agreed", { exact: true }).uncheck();
  await expect(preview.locator("svg").first()).toBeVisible();
  await page.getByLabel("Its title").fill("Refit as it stands");
  await page.getByRole("button", { name: "Make it" }).press("Enter");
  await page.waitForURL(/refit-as-it-stands\/edit/);
  await settled(page);
  await expect(page.locator("#line")).toContainText("opened in the last 12 months");
  await expect(page.locator(".widget h2", { hasText: "How far enquiries come" })).toBeVisible();
  await page.locator("#drilling summary").click();
  await expect(page.locator("#drilling table")).toContainText("Estimator › ");
  await publish(page);
  await settled(page);
  await expect(page.locator("#line")).toContainText("Showing");
  expect(wrong).toEqual([]);
});

// A theme is chosen, changed to the host's colours, and seen by readers in light and dark.
test("a dashboard has a look of its own", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page);
  await copied(page, "hazards", "looked-hazards", "Looked hazards");
  const look = page.locator("#look"), kept = () => page.waitForResponse((r) => r.url().endsWith("/look/change") && r.ok());
  const paper = (on: typeof page) => on.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const usual = await paper(page);
  await look.locator("summary").press("Enter");
  await Promise.all([kept(), look.getByRole("button", { name: "brick" }).press("Enter")]);
  await expect(look.getByRole("button", { name: "brick" })).toHaveClass(/chosen/);
  expect(await paper(page)).toBe("rgb(251, 247, 243)");
  await noSeriousProblem(page, "the look of a dashboard");

  // A colour that cannot be read is told and drawn otherwise; undo takes it back.
  await Promise.all([kept(), look.getByLabel("Ink").fill("#f0e0d8")]);
  await expect(look.locator(".findings .warn")).toContainText("too little to be read: it is drawn as #");
  await page.locator("#undo").click();
  await expect(look.locator(".findings .warn")).toHaveCount(0);
  await Promise.all([kept(), look.getByLabel("Letters").selectOption({ label: "the host's font" })]);
  await Promise.all([kept(), look.getByLabel("Name of the host's font").fill("Open Sans").then(() => page.keyboard.press("Tab"))]);
  await expect.poll(() => page.evaluate(() => getComputedStyle(document.body).fontFamily)).toContain("Open Sans");
  await publish(page);

  const dark = await (await browser.newContext({ colorScheme: "dark", baseURL: new URL(page.url()).origin })).newPage();
  await signIn(dark);
  await dark.goto("/dashboards/looked-hazards");
  await settled(dark);
  await noSeriousProblem(dark, "a look of its own in the dark");
  const at = await paper(dark);
  expect(Math.max(...at.match(/\d+/g)!.map(Number)), at).toBeLessThan(60);
  await dark.goto("/dashboards/hazards");
  await settled(dark);
  expect(await paper(dark), "others have theirs").not.toBe(at);
  await dark.close();
  await page.goto("/");
  expect(await paper(page)).toBe(usual);
  expect(wrong).toEqual([]);
});

// Somebody makes a page of their own, begins with it, and keeps another to themselves.
test("a page of one's own is what one begins with", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/dashboards");
  await page.getByRole("button", { name: "a page of your own" }).press("Enter");
  await page.waitForURL(/\/dashboards\/own-\d+\/edit/);
  await settled(page);
  await expect(page.locator(".widget .figures").first()).toBeVisible();
  await expect(page.getByLabel("Who sees it")).toHaveValue("keeper");
  await page.goto("/");
  await page.waitForURL(/\/dashboards\/own-\d+$/);
  await settled(page);
  await noSeriousProblem(page, "a page of one's own");
  await page.getByRole("navigation").getByRole("link", { name: "Dashboards" }).click();
  await expect(page.getByRole("heading", { name: "Only you see" })).toBeVisible();
  await noSeriousProblem(page, "the list of dashboards");
  await page.getByRole("button", { name: "no longer begin with it" }).press("Enter");
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Dashboards" })).toBeVisible();

  const edda = await (await browser.newContext({ baseURL: new URL(page.url()).origin })).newPage();
  await signIn(edda);
  await edda.goto("/dashboards");
  await expect(edda.getByRole("heading", { name: "Dashboards" })).toBeVisible();
  await expect(edda.getByText("Only you see")).toHaveCount(0);

  // What a dashboard is about is told on request.
  await copied(edda, "hazards", "about-hazards", "About hazards");
  await edda.locator("#readers summary").click();
  await Promise.all([edda.waitForResponse((r) => r.url().endsWith("/draft") && r.ok()), edda.getByLabel("and ask what this is about").fill("Noted by **everybody**.").then(() => edda.keyboard.press("Tab"))]);
  await edda.goto("/dashboards/about-hazards?draft=yes");
  await edda.getByText("what this is about").click();
  await expect(edda.locator(".about strong")).toHaveText("everybody");
  await edda.close();
  expect(wrong).toEqual([]);
});
