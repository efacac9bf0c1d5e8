import { expect, test } from "@playwright/test";
import { complaints, eskadel, noSeriousProblem, signIn } from "./help";

const builder = "mara.quill@skerrin.example";

/** The address of Yard Desk's database, as a person would have it from its keeper. */
function database() {
  return `postgres://eskadel_reader@127.0.0.1:${process.env.ESKADEL_PG_PORT}/yarddesk?sslmode=disable`;
}

test("a newcomer connects a database, sees what is odd in a table and makes a dataset", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/data");
  await page.getByText("Connect a database").click();
  await page.fill("#s-title", "Second desk");
  await page.fill("#s-url", database().replace("/yarddesk?", "/yarddisk?"));
  await page.getByRole("button", { name: "Connect" }).click();
  await expect(page.getByRole("alert")).toContainText("There is no database “yarddisk”");
  await expect(page.locator("#s-title")).toHaveValue("Second desk");
  await page.fill("#s-url", "postgres://a:b@127.0.0.1:1/x");
  await page.getByRole("button", { name: "Connect" }).click();
  await expect(page.getByRole("alert")).toContainText("Nothing listens on 127.0.0.1, port 1.");
  await expect(page.locator("#s-url")).toHaveValue("postgres://a:b@127.0.0.1:1/x"); // what was typed stays
  await page.fill("#s-url", database());
  await page.getByRole("button", { name: "only try it" }).click();
  await expect(page.locator(".found").first()).toContainText("may read 16 tables and views of “yarddesk”");
  await page.fill("#s-url", database());
  await page.getByRole("button", { name: "Connect" }).click();
  await expect(page.locator("h1")).toHaveText("Second desk");
  await page.fill("#find", "inv");
  await expect(page.locator("#tables tbody tr")).toHaveCount(3);
  await noSeriousProblem(page, "source");
  await page.getByRole("link", { name: "legacy_invoice" }).click();
  await expect(page.locator("table.records tbody tr")).toHaveCount(12);
  await noSeriousProblem(page, "table");
  await page.getByRole("button", { name: "Make a dataset of it" }).click();
  await expect(page.locator(".odd").first()).toContainText("“Issued” is text that looks like a date, written like 31.12.2026");
  await page.locator(".odd", { hasText: "Amount text" }).getByRole("button", { name: "read it as a number" }).click();
  await expect(page.locator(".odd", { hasText: "Amount text" })).toContainText(/ \d+ legacy invoices cannot be read as a number like 1,234\.50/);
  const unread = / (\d+) legacy invoices/.exec(await page.locator(".odd", { hasText: "Amount text" }).innerText())![1]; // as many as the demo's day has
  await page.locator(".odd", { hasText: "Amount text" }).getByRole("button", { name: "show them" }).click();
  await expect(page.locator("#odd-records tbody tr")).toHaveCount(Number(unread));
  await expect(page.locator("#odd-records")).toContainText("see note");
  await page.keyboard.press("Escape");
  await expect(page.locator(".warn").first()).toContainText("Nobody has said yet who may see which records");
  await noSeriousProblem(page, "dataset");

  // Who may see it is said on the table's page; until then nothing of it can be published.
  await page.getByRole("link", { name: "say who may see legacy_invoice" }).click();
  const rules = page.locator("form", { hasText: "Viewers of the roles" });
  for (const role of ["office", "director"]) await rules.getByLabel(role, { exact: true }).check();
  await rules.getByRole("button", { name: "Add the rule" }).click();
  await expect(page.locator(".plain-list").first()).toContainText("director, office see every record");

  // Renamed, put first, one hidden.
  await page.goto("/data/datasets/legacy-invoice");
  await page.locator(".picture").first().waitFor();
  await page.fill('[name="label.amount_text"]', "Amount");
  await page.fill('[name="order.amount_text"]', "0");
  await page.check('[name="hidden.id"]');
  await page.getByRole("button", { name: "Keep" }).first().click();
  await expect(page.locator(".fields tbody tr").first().locator("input[name^=label]")).toHaveValue("Amount");
  // A mistake in the document is named, and nothing is lost.
  await page.getByRole("link", { name: "document" }).click();
  const text = await page.locator("#d-doc").inputValue();
  await page.fill("#d-doc", text.replace('"column": "issued"', '"column": "issued_when"'));
  await page.getByRole("button", { name: "Keep the document" }).click();
  await expect(page.getByRole("alert")).toContainText("has no column “issued_when”");
  await expect(page.locator("#d-doc")).toHaveValue(/issued_when/);
  expect(wrong.filter((w) => !w.includes("422"))).toEqual([]);
});

test("calculations, groups and conditions are typed, tried and kept", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/data/datasets/yard-jobs?part=calculations");
  await page.fill("#c-label", "Whole cost");
  await page.locator("#c-formula").pressSequentially("yard_cost + parts_c");
  await expect(page.locator("[role=option]").first()).toContainText("parts_cost");
  await page.keyboard.press("Tab");
  await expect(page.locator("#c-formula")).toHaveValue("yard_cost + parts_cost");
  await expect(page.locator("#c-formula-result tbody tr")).toHaveCount(10);
  await page.locator("#c-formula").pressSequentially(" * kynd");
  await expect(page.locator("#c-formula-result")).toContainText("There is no field “kynd”; did you mean “kind”?");
  await page.getByRole("button", { name: "Add it" }).first().click();
  await expect(page.getByRole("alert")).toContainText("did you mean “kind”?");
  await expect(page.locator("#c-formula")).toHaveValue("yard_cost + parts_cost * kynd");
  await page.fill("#c-formula", "yard_cost + parts_cost");
  await page.getByRole("button", { name: "Add it" }).first().click();
  await expect(page.getByRole("link", { name: "Whole cost" })).toBeVisible();
  await page.fill("#c-label", "Parts of the cost");
  await page.fill("#c-formula", "sum(parts_cost) / sum(whole_cost)");
  await expect(page.locator("#c-formula-result")).toContainText("A number, over groups");
  await page.selectOption("#c-over", "groups");
  await page.getByRole("button", { name: "Add it" }).first().click();
  await expect(page.locator("main")).toContainText("sum(parts_cost) / sum(whole_cost)");
  await page.getByText("All functions, with examples").click();
  await expect(page.locator(".formula-help tbody tr")).toHaveCount(34);
  await noSeriousProblem(page, "calculations");

  await page.goto("/data/datasets/yard-jobs?part=conditions");
  const form = page.locator("form", { hasText: "Keep it by name" });
  await form.locator("#n-title").fill("Engine work");
  await form.getByRole("button", { name: "add a condition" }).click();
  await form.locator("select[aria-label=Field]").selectOption("part_group");
  await form.locator("select[aria-label=Comparison]").selectOption("is");
  await form.locator("input[aria-label=Value]").fill("engine");
  await expect(form.locator(".condition-words")).toContainText(/Part group is engine: [\d,]+ of [\d,]+ jobs/);
  await noSeriousProblem(page, "conditions");
  await form.getByRole("button", { name: "Keep it by name" }).click();
  await expect(page.locator(".plain-list")).toContainText("Engine work: Part group is engine");

  // The measure and the condition are at hand in the chart editor.
  await page.goto("/charts/edit?dataset=yard-jobs");
  await page.click('[data-part="measure.0"]');
  await page.locator(".choice", { hasText: "Parts of the cost" }).click();
  await expect(page.locator(".sentence")).toContainText("Parts of the cost of Yard jobs");
  await page.click('[data-part="add"]');
  await page.locator(".choice", { hasText: "only where" }).click();
  await page.locator(".choice", { hasText: "Engine work" }).click();
  await expect(page.locator(".sentence")).toContainText("only where Engine work");
  await page.click('[data-part="grain.0"]');
  await page.locator(".choice", { hasText: "weekday" }).click();
  await expect(page.locator("#preview .widget[data-drawn]")).toBeVisible();
  await expect(page.locator(".sentence")).toContainText("by weekday of Opened");
  expect(wrong.filter((w) => !w.includes("422"))).toEqual([]);
});

test("a builder sees a dataset as a viewer would", async ({ page }) => {
  await signIn(page, builder);
  await page.goto("/data/datasets/hazards?part=rules");
  const role = (name: string) => page.locator("[data-view-as]").getByLabel(name, { exact: true });
  await role("office").check();
  await page.getByRole("button", { name: "Look" }).click();
  await expect(page.locator("#view-as")).toContainText("They would not know of: Owner.");
  await role("office").press("Space"); // what comes below may still move the page under a pointer
  await expect(role("office")).not.toBeChecked();
  await role("foreman").press("Space");
  await page.getByLabel("Attribute", { exact: true }).fill("yard");
  await page.getByLabel("Its value").fill("3");
  await page.getByRole("button", { name: "Look" }).click();
  await expect(page.locator("#view-as")).toContainText("those at your yard");
  await expect(page.locator("#view-as table")).not.toContainText("Ostrey");
  await page.getByLabel("Its value").fill("");
  await page.getByRole("button", { name: "Look" }).click();
  await expect(page.locator("#view-as")).toContainText("They would see 0 of");
  await noSeriousProblem(page, "row rules");
});

test("files are uploaded, refused in words, replaced and fetched; queries are checked", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/data/sources/files");
  const upload = async (form: import("@playwright/test").Locator, name: string, text: string) => {
    await form.locator("input[type=file]").setInputFiles({ name, mimeType: "text/csv", buffer: Buffer.from(text) });
    await form.getByRole("button", { name: /Upload|Replace/ }).click();
  };
  const fresh = page.locator('form[data-name=""]');
  await upload(fresh, "tide-times.csv", "day;port;high\n2026-01-01;Pell;4.2\n2026-01-02;Pell\n");
  await expect(fresh.locator("[data-said]")).toHaveText("Row 3: It has 2 fields where the titles are 3.");
  // Its rows are looked at, and what is wrong is left out by hand.
  await fresh.getByRole("button", { name: "choose its rows first" }).click();
  await expect(fresh.getByLabel("The titles are in row 1")).toBeChecked();
  await fresh.getByLabel("A row of another length").selectOption("skip");
  await noSeriousProblem(page, "files");
  await fresh.getByRole("button", { name: "Upload" }).click();
  await expect(page.locator("table.records tbody tr")).toHaveCount(1);
  await page.goto("/data/sources/files");
  await expect(page.locator("li", { hasText: "Tide times" })).toContainText("One row of another length is left out.");
  await upload(fresh, "tide-times.csv", "day;port;high\n2026-01-01;Pell;4.2\n2026-01-02;Ravel;4.4\n");
  await expect(page.locator("h1")).toHaveText("tide_times");
  await expect(page.locator("table.records tbody tr")).toHaveCount(2);
  await page.goto("/data/sources/files");
  const row = page.locator("li", { hasText: "Tide times" });
  await row.locator("summary").click();
  await upload(row.locator("form.upload"), "tide-times.csv", "day;port\n2026-01-01;Pell\n");
  await expect(row.locator("[data-said]")).toContainText("lacks: “high”");
  await row.locator("input[name=address]").fill(`${eskadel}/static/page/icon.svg`);
  await row.getByRole("button", { name: "Keep and fetch" }).click();
  await expect(page.getByRole("alert")).toContainText("leads inside the own network");

  await page.goto("/data/sources/yard-desk/new");
  await page.fill("#q-title", "Boats by kind");
  await page.fill("#q-key", "kind");
  await page.fill("#q-sql", "select kind, pg_sleep(5) from vessel group by kind");
  await page.getByRole("button", { name: "Make the dataset" }).first().click();
  await expect(page.getByRole("alert")).toContainText("the function “pg_sleep” is not among those that a query may call");
  await expect(page.locator("#q-sql")).toHaveValue(/pg_sleep/);
  await page.fill("#q-title", "Boats by kind");
  await page.fill("#q-sql", "select kind, count(*) as boats from vessel group by kind");
  await noSeriousProblem(page, "new dataset");
  await page.getByRole("button", { name: "Make the dataset" }).first().click();
  await expect(page.locator("h1")).toHaveText("Boats by kind");
  await expect(page.locator("#looked")).toContainText("From all");
  await page.goto("/data/datasets/lift-warnings/fields/warning");
  await expect(page.locator(".top li")).toHaveCount(4);
  await noSeriousProblem(page, "field");
  await page.goto("/data/workspace");
  await noSeriousProblem(page, "calendar");
  expect(wrong.filter((w) => !/422/.test(w))).toEqual([]);
});
