import { execFileSync, spawn, type ChildProcess } from "node:child_process";
import { randomBytes } from "node:crypto";
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { complaints, noSeriousProblem, place, publish, settled } from "./help";

const root = process.env.ESKADEL_ROOT ?? "..", folder = `${place}/empty`;
const sql = (database: string, text: string) => execFileSync("psql", [`postgres://postgres@127.0.0.1:${process.env.ESKADEL_PG_PORT}/${database}?sslmode=disable`, "-qAtc", text]).toString().trim();

/** Two rows of allotments, as a small application keeps them: nothing is called as in the demonstration. */
const allotments = `
create table plot (id int primary key, name text not null, sunny boolean not null);
create table picking (id int generated always as identity primary key, plot int not null references plot, crop text not null, kilos numeric(8, 2) not null, picked_on date not null);
insert into plot select n, 'Plot ' || n, n % 2 = 0 from generate_series(1, 6) n;
insert into picking (plot, crop, kilos, picked_on) select 1 + n % 6, (array['beans', 'leeks', 'squash', 'kale'])[1 + n % 4], 0.25 * (1 + n % 40), current_date - n % 200 from generate_series(1, 800) n;
grant select on plot, picking to eskadel_reader;`;

let running: ChildProcess[] = [];
test.afterEach(() => {
  running.forEach((p) => p.kill());
  running = [];
});

/** Starts a program, and waits until what it says has something in it. */
async function started(program: string, args: string[], env: Record<string, string>, until: RegExp, cwd = root) {
  const p = spawn(program, args, { cwd, env: { ...process.env, ...env } });
  running.push(p);
  let said = "";
  return new Promise<RegExpExecArray>((ready, failed) => {
    const hear = (text: Buffer) => {
      const found = until.exec((said += text));
      if (found) ready(found);
    };
    p.stdout.on("data", hear);
    p.stderr.on("data", hear);
    p.on("exit", () => failed(new Error(said)));
  });
}

/** A program as the guide shows it, by the first line of it. */
const shown = (first: string) => {
  const guide = readFileSync(`${root}/docs/embedding.md`, "utf8");
  return guide.slice(guide.indexOf(first)).split("\n```")[0];
};

// What the guide says, from a server on which there is nobody to a dashboard in a page of one's own, in Node and in
// Go, without a command after the start; on a database that is nothing like the demonstration's.
test("from an empty server to a page of one's own", async ({ browser }) => {
  test.slow();
  const began = Date.now();
  for (const name of ["empty_eskadel", "allotments"]) sql("postgres", `drop database if exists ${name} with (force)`), sql("postgres", `create database ${name}`);
  sql("allotments", allotments);
  const port = 18177, base = `http://127.0.0.1:${port}`;
  const env = { ESKADEL_DATABASE: `postgres://postgres@127.0.0.1:${process.env.ESKADEL_PG_PORT}/empty_eskadel?sslmode=disable`, ESKADEL_KEY: randomBytes(32).toString("hex") };
  const [, code] = await started(`${place}/bin/eskadel`, ["serve", "-listen", `127.0.0.1:${port}`], env, /lets the first person in once:\s+(\S+)/);
  const page = await (await browser.newContext({ baseURL: base })).newPage(), wrong = complaints(page);
  await page.goto("/first");
  await page.getByLabel("The code that the server printed").fill(code);
  await page.getByLabel("Your name").fill("Bryn Hale");
  await page.getByLabel("E-mail address").fill("bryn@allotments.example");
  await page.locator("#password").fill("seven rows of leeks");
  await page.getByRole("button", { name: "Begin" }).click();
  await page.waitForURL((u) => u.pathname !== "/first");

  // A source, a rule, a dataset.
  await page.goto("/data");
  await page.getByText("Connect a database", { exact: true }).click();
  await page.getByLabel("Title", { exact: true }).fill("Allotments");
  await page.getByLabel("Address", { exact: true }).fill(`postgres://eskadel_reader@127.0.0.1:${process.env.ESKADEL_PG_PORT}/allotments?sslmode=disable`);
  await page.getByRole("button", { name: "Connect", exact: true }).click();
  await page.waitForURL("**/sources/allotments");
  for (const table of ["plot", "picking"]) {
    await page.goto("/data/sources/allotments");
    await page.getByRole("link", { name: table }).click();
    await page.getByPlaceholder("another role").first().fill("warden");
    if (table === "picking") {
      await page.getByRole("button", { name: "add a condition" }).click();
      await page.getByLabel("Field").selectOption("Kilos");
      await page.getByLabel("Comparison").selectOption("is at most");
      await page.locator(".condition-rows input").fill("5");
      await page.getByLabel("as the reading line says it").fill("of up to five kilos");
    }
    await page.getByRole("button", { name: "Add the rule" }).click();
    await expect(page.locator("main")).not.toContainText("Nobody but builders yet");
  }
  await page.getByRole("button", { name: "Make a dataset of it" }).click();
  await page.waitForURL("**/data/datasets/picking");

  // A dashboard.
  await page.goto("/dashboards");
  await page.locator("#title").fill("The harvest");
  await Promise.all([page.waitForURL("**/edit"), page.locator("#title").press("Enter")]);
  const kept = (path: string) => page.waitForResponse((r) => r.url().endsWith(path) && r.ok());
  await page.locator("#add summary").click();
  await Promise.all([kept("/add"), page.locator("[data-add=chart]").click()]);
  await page.locator("#panel .phrase").first().focus();
  await page.keyboard.press("s"); // just beginning to type
  await page.locator("#typed-line").fill("sum of kilos by crop as bars");
  await expect(page.locator("#typed-read .understood")).toBeVisible();
  await Promise.all([kept("/draft"), page.keyboard.press("Enter")]);
  await page.keyboard.press("Escape");
  await publish(page);
  await settled(page);

  // The application, its key, the tag and the code.
  await page.goto("/people/hosts");
  await page.getByLabel("Title", { exact: true }).fill("Harvest");
  await page.getByLabel("An address of its pages").fill("http://localhost:18178");
  await page.getByRole("button", { name: "Register" }).click();
  await page.getByLabel("Its name, which passes say").fill("harvest-1");
  await page.getByRole("button", { name: "Make it" }).click();
  const secret = await page.locator("#new-secret").innerText();
  await page.getByRole("link", { name: "The tag and the code for it" }).click();
  const given = async (name: string) => (await page.locator(`#kit-${name}`).textContent())!;
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  writeFileSync(`${folder}/page.html`, `<!doctype html><html lang="en"><title>Harvest</title><h1>Good morning</h1>\n${await given("tag")}\n`);
  writeFileSync(`${folder}/pass.mjs`, await given("javascript"));
  writeFileSync(`${folder}/server.mjs`, shown("// server.mjs"));
  writeFileSync(`${folder}/pass.go`, await given("go"));
  writeFileSync(`${folder}/main.go`, shown("// main.go"));
  console.log(`from an empty server to the files of an application: ${Math.round((Date.now() - began) / 1000)} s`);

  // Each of the guide's two servers shows it to a warden, who sees what is theirs.
  cpSync("node_modules", `${folder}/node_modules`, { recursive: true, filter: (from) => !/node_modules\/(@|playwright|typescript|axe|openapi)/.test(from) });
  const version = /golang-jwt\/jwt\/v5 (\S+)/.exec(readFileSync(`${root}/go.mod`, "utf8"))![1];
  writeFileSync(`${folder}/go.mod`, `module harvest\n\ngo 1.26\n\nrequire github.com/golang-jwt/jwt/v5 ${version}\n`);
  cpSync(`${root}/go.sum`, `${folder}/go.sum`);
  execFileSync("go", ["build", "-o", "harvest", "."], { cwd: folder });
  for (const [program, args] of [[process.execPath, ["server.mjs"]], [`${folder}/harvest`, []]] as const) {
    const visitor = await (await browser.newContext()).newPage(), complained = complaints(visitor);
    const [, address] = await started(program, [...args], { ESKADEL_SECRET: secret, PORT: "18178" }, /(http:\/\/\S+)/, folder);
    await visitor.goto(address);
    const frame = visitor.frameLocator("eskadel-dashboard iframe");
    await expect(frame.locator("h1")).toHaveText("The harvest");
    await expect(frame.locator("#line")).toContainText("of up to five kilos: 400 of the 400 you may see");
    await expect(frame.locator("svg.drawing .mark")).toHaveCount(4);
    await noSeriousProblem(visitor, "a page of one's own");
    expect(complained).toEqual([]);
    await visitor.context().close();
    const last = running.pop()!;
    await new Promise((ended) => { last.on("exit", ended); last.kill(); });
  }
  // What is sent and frozen of other records; without a mail server that is said.
  await page.goto("/dashboards");
  await page.getByRole("link", { name: "The harvest" }).first().click();
  await settled(page);
  await page.locator("[data-freezes]").click();
  await page.getByRole("button", { name: "freeze it" }).click();
  await page.waitForURL(/snapshots\/\d+$/);
  await expect(page.locator("svg.drawing .mark")).toHaveCount(4);
  await page.goBack();
  await settled(page);
  await page.locator("[data-mails]").click();
  await page.getByRole("link", { name: "have it delivered" }).click();
  await page.getByRole("button", { name: "Make it" }).click();
  await page.getByRole("button", { name: "try it" }).click();
  await expect(page.locator("#history-place")).toContainText("no mail server is set up", { timeout: 20_000 });
  expect(wrong).toEqual([]);
  await page.context().close();
});
