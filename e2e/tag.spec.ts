import { expect, test, type Frame, type Page } from "@playwright/test";
import { complaints, eskadel, noSeriousProblem, settled, yardDesk, yardDeskAs } from "./help";
import { Host } from "./host";

let host: Host;
/** Nothing comes by it but what the tag needs, and no text becomes a script. */
const strict = `default-src 'none'; script-src 'self' ${eskadel}; style-src 'self'; frame-src 'self' ${eskadel}; connect-src 'self'; img-src data:; require-trusted-types-for 'script'; trusted-types 'none'`;
test.beforeAll(async ({ browser }) => { host = await Host.begin(browser, "tag-desk"); });
test.afterAll(() => host.end());
test.beforeEach(() => Object.assign(host, { html: "", css: "", script: "", answers: {}, policy: strict }));

const script = `<script src="${eskadel}/embed.js"></script>`;
const tag = (rest = "", name = "yard-today") => `<eskadel-dashboard app="tag-desk" name="${name}" pass-url="/pass" ${rest}></eskadel-dashboard>`;

/** Opens the page of the host app, which keeps what its tags tell. */
async function opened(page: Page) {
  await page.addInitScript(() => {
    const told: any[] = ((window as any).told = []);
    for (const name of ["shown", "view", "narrowed", "record", "height", "figure", "failed"]) addEventListener(`eskadel-${name}`, (e) => told.push({ name, ...(e as CustomEvent).detail }));
  });
  await page.goto(host.origin);
}
/** What the tags have told by one name. */
const told = (page: Page, name: string) => page.evaluate((n) => (window as any).told.filter((t: any) => t.name === n), name);
const within = async (page: Page, which = "eskadel-dashboard") => (await (await page.waitForSelector(`${which} iframe`)).contentFrame()) as Frame;
/** Asks a tag for something; says what it was refused with. */
const ask = (page: Page, method: string, ...args: unknown[]) => page.evaluate(async ([method, args]) => {
  const tag = document.querySelector("eskadel-dashboard") as any;
  return tag[method as string](...(args as unknown[])).then(() => "", (e: Error) => e.message);
}, [method, args] as const);
const line = (f: Frame) => f.locator("#line");
const shown = (page: Page, times = 1) => expect.poll(async () => (await told(page, "shown")).length).toBe(times);

// Under a strict policy with trusted types, as a script and as a module at once: what a page sets and asks for, and
// what it is told.
test("a page and its dashboard speak to each other", async ({ page }) => {
  const wrong = complaints(page);
  host.html = script + tag(`filters='{"what": ["survey finding"]}'`);
  host.script = `import "${eskadel}/eskadel.js";`;
  await opened(page);
  await shown(page);
  const frame = await within(page);
  await settled(frame);
  expect(await told(page, "shown")).toEqual([{ name: "shown", dashboard: "yard-today", title: "Yard today", page: "Today", pages: ["Today"] }]);
  await expect(page.locator("eskadel-dashboard iframe")).toHaveAttribute("title", "Yard today");
  await expect(line(frame)).toContainText("of survey finding");
  expect(await ask(page, "setFilter", "what", ["mishap", "rework"])).toBe("");
  await expect(line(frame)).toContainText("of mishap or rework");
  expect(await ask(page, "setFilter", "nope", ["x"])).toBe("The dashboard has no filter “nope”.");
  expect(await ask(page, "setFilter", "when", ["x"])).not.toBe("");
  expect(await ask(page, "goTo", "Nowhere")).toBe("The dashboard has no page “Nowhere”.");
  await expect(line(frame)).toContainText("of mishap or rework");
  await settled(frame);
  // What somebody chooses is told, and can be set again.
  await frame.locator("#w-parts .chart").focus();
  for (const key of ["Home", "Space"]) await page.keyboard.press(key);
  await expect.poll(async () => (await told(page, "narrowed")).at(-1)?.narrowed.length).toBe(1);
  const { narrowed } = (await told(page, "narrowed")).at(-1);
  expect(narrowed[0]).toMatchObject({ widget: "parts", words: expect.stringContaining("engine") });
  expect(await ask(page, "narrow", [])).toBe("");
  await expect(frame.locator("#line .narrowed")).toHaveCount(0);
  expect(await ask(page, "narrow", narrowed)).toBe("");
  await expect(frame.locator("#line .narrowed")).toContainText("engine");
  expect(await ask(page, "narrow", [{ widget: "nope", marks: [{}], words: "" }])).not.toBe("");
  expect((await told(page, "view")).length).toBeGreaterThan(1);
  expect(await ask(page, "standardView")).toBe("");
  await expect(line(frame)).toContainText("of any kind");
  expect(await ask(page, "refresh")).toBe("");
  // What is no message of the protocol is heard by nobody.
  await page.evaluate((to) => {
    const frame = document.querySelector("eskadel-dashboard")!.shadowRoot!.querySelector("iframe")!.contentWindow!;
    for (const no of [null, 7, "again", { say: "again" }, { eskadel: 1, say: "again" }, { eskadel: 2 }, { eskadel: 2, say: "toString" }, { eskadel: 2, say: "__proto__" }, { eskadel: 2, say: "do", id: "1", what: "standard" }, { eskadel: 2, say: "look", look: [] }, { eskadel: 2, say: "lead", dashboards: [1], anew: true }]) frame.postMessage(no, to);
  }, eskadel);
  expect(await ask(page, "refresh")).toBe("");
  // A record is the page's to open.
  await page.evaluate(() => addEventListener("eskadel-record", (e) => e.preventDefault()));
  await frame.locator("#w-jobs a.record").first().click();
  await expect.poll(async () => (await told(page, "record"))[0]?.address).toMatch(/^\/jobs\/\d+$/);
  // Attributes that change: one widget of it, another dashboard, its height and its name.
  const set = (name: string, value: string | null) => page.evaluate(([name, value]) => {
    const tag = document.querySelector("eskadel-dashboard")!;
    value === null ? tag.removeAttribute(name!) : tag.setAttribute(name!, value);
  }, [name, value]);
  await set("widget", "parts");
  await expect(frame.locator(".widget")).toHaveCount(1);
  await set("widget", null);
  await expect(frame.locator("#w-jobs")).toBeVisible();
  await set("filters", '{"what": ["mishap"]}');
  await expect(line(frame)).toContainText("of mishap");
  let before = (await told(page, "shown")).length;
  await set("lang", "de-AT"); // numbers and dates as there; the frame comes anew
  await expect.poll(async () => (await told(page, "shown")).length).toBeGreaterThan(before);
  const german = await within(page);
  await expect(german.locator("#line b").first()).toHaveText(/^\d{1,3}\.\d{3}$/);
  await expect(german.locator("#w-jobs td").filter({ hasText: /^\d+\. Nov\. 2026$/ }).first()).toBeVisible();
  await set("lang", null);
  await expect((await within(page)).locator("#line b").first()).toHaveText(/^\d{1,3},\d{3}$/);
  await set("height", "444");
  await expect(page.locator("eskadel-dashboard iframe")).toHaveCSS("height", "444px");
  await set("height", null);
  await set("title", "Our jobs");
  await expect(page.locator("eskadel-dashboard iframe")).toHaveAttribute("title", "Our jobs");
  await expect.poll(async () => (await told(page, "shown")).length).toBe(before + 2);
  before += 2;
  await set("name", "hazards");
  await shown(page, before + 1);
  await expect((await within(page)).locator("h1")).toHaveText("Hazards");
  expect((await told(page, "failed")).map((f: any) => f.reason)).toEqual(["filters", "filters", "page", "trouble", "filters"]);
  await set("filters", "not JSON");
  await expect.poll(async () => (await told(page, "failed")).at(-1)).toMatchObject({ reason: "filters" });
  await set("name", "yard-today"); // from the beginning, too
  await shown(page, before + 2);
  expect((await told(page, "failed")).at(-1)).toMatchObject({ reason: "filters", words: expect.stringContaining("cannot be read: it is an object as JSON") });
  expect(wrong.filter((w) => !/status of (404|422)/.test(w))).toEqual([]);
});

// Several tags and figures of one page: one stream of changes, which another frame takes over when the first goes.
test("frames of one page share one stream, and figures stand in its sentences", async ({ page, browser }) => {
  const wrong = complaints(page);
  let streams = 0;
  page.on("websocket", () => streams++);
  const figure = (rest: string) => `<eskadel-figure app="tag-desk" name="yard-today" pass-url="/pass" ${rest}>…</eskadel-figure>`;
  host.html = script + tag('id="one" widget="open"');
  host.policy = strict.replace(/; require.*/, "");
  await opened(page);
  await shown(page);
  await expect.poll(() => streams).toBe(1);
  await page.evaluate((html) => document.body.insertAdjacentHTML("beforeend", html), `<p id="says">There are ${figure('widget="open"')} jobs, ${figure('widget="open" figure="Waiting for parts"')} waiting.</p>
    <p>${figure('widget="open" figure="nothing"')}${figure('widget="parts"')}</p>${tag('id="two"')}${tag('id="three"', "hazards")}`);
  await shown(page, 3);
  const two = await within(page, "#two");
  await settled(two);
  const figures = await two.locator("#w-open .figure b").allInnerTexts();
  await expect(page.locator("#says")).toHaveText(`There are ${figures[0]} jobs, ${figures[1]} waiting.`);
  await expect(page.locator("#says eskadel-figure").first()).toHaveAttribute("title", /Number of jobs/i);
  await expect.poll(async () => [...new Set((await told(page, "failed")).map((f: any) => f.words))].sort()).toEqual(["There is no figure “nothing” here: there is jobs under way, waiting for parts.", "“parts” has no key figures."]);
  await expect(page.locator("body > iframe"), "one frame for all figures").toHaveCount(1);
  await noSeriousProblem(page, "figures in sentences");
  await expect.poll(() => streams, "begun anew by the first for each dashboard more").toBe(2);
  const address = async () => (await two.locator("#w-jobs a.record").first().getAttribute("data-record"))!;
  const other = await (await browser.newContext()).newPage();
  await yardDeskAs(other, "director");
  const close = async (job: string) => {
    await other.goto(yardDesk + job);
    await other.getByLabel("Status").selectOption("handed back");
    await other.getByRole("button", { name: "Save" }).click();
  };
  const first = await address();
  await close(first);
  await expect(two.locator(`#w-jobs a[data-record="${first}"]`)).toHaveCount(0);
  await expect(page.locator("#says")).not.toHaveText(`There are ${figures[0]} jobs, ${figures[1]} waiting.`);
  // Whoever has the stream goes: another has it then.
  await page.evaluate(() => document.querySelectorAll("eskadel-figure, #one").forEach((e) => e.remove()));
  await expect(page.locator("body > iframe")).toHaveCount(0);
  await expect.poll(() => streams, "by another").toBe(3);
  const second = await address();
  await close(second);
  await expect(two.locator(`#w-jobs a[data-record="${second}"]`)).toHaveCount(0);
  expect(wrong).toEqual([]);
  await other.context().close();
});

// Each way in which a page may fail to say who is looking is told to it, and to whoever looks, as it is.
test("passes that are late, wrong, a page to sign in, or refused", async ({ page }) => {
  const answer = (status: number, type: string, text: string) => { host.answers["/pass"] = (_, r) => void r.writeHead(status, { "Content-Type": type }).end(text); };
  const cases: [string, () => void, string, RegExp][] = [
    ["signed out", () => answer(401, "text/plain", "no"), "signed-out", /You are no longer signed in to localhost/],
    ["a page to sign in", () => answer(200, "text/html", "<h1>Sign in</h1>"), "signed-out", /no longer signed in/],
    ["a broken server", () => answer(500, "text/plain", "oh"), "no-pass", /its address for passes answers 500/],
    ["not a pass", () => answer(200, "text/plain", "oh no"), "no-pass", /something that is not a viewer pass/],
    ["a pass of another dashboard", () => answer(200, "text/plain", host.pass({ scope: { dashboards: ["money"] } })), "refused", /is not for this dashboard/],
    ["an old pass", () => answer(200, "text/plain", host.pass({ iat: 1, exp: 2 })), "refused", /has expired/],
  ];
  host.html = script + tag();
  for (const [what, set, reason, words] of cases) {
    set();
    await opened(page);
    await expect.poll(async () => (await told(page, "failed"))[0]?.reason, what).toBe(reason);
    expect((await told(page, "failed"))[0].words, what).toMatch(words);
    await expect(page.getByRole("alert"), what).toHaveText(words);
    expect(await ask(page, "refresh"), "what is asked of it meanwhile").toMatch(words);
  }
  // Tried again, it comes.
  host.answers = {};
  await noSeriousProblem(page, "a pass that is refused");
  await page.getByRole("button", { name: "try again" }).press("Enter");
  await shown(page);
  expect(await ask(page, "refresh")).toBe("");
  // A page's own function that never answers.
  await page.clock.install();
  host.html = script + tag("id='late'").replace('pass-url="/pass"', "");
  host.script = "document.querySelector('#late').getPass = () => new Promise(() => {});";
  await opened(page);
  await page.locator("eskadel-dashboard iframe").waitFor();
  await page.clock.runFor(11_000);
  await expect.poll(async () => (await told(page, "failed"))[0]?.reason).toBe("late");
  await expect(page.getByRole("alert")).toContainText("takes longer than 10 seconds");
  await noSeriousProblem(page, "a pass that is late");
});

// What the page itself is kept from: said in words, in the place of the dashboard.
test("a tag in a sandbox, an old one, one that says too little, and one that may not be shown", async ({ page }) => {
  host.answers["/in"] = (_, r) => void r.setHeader("Content-Type", "text/html").end(`<body>${script}${tag()}</body>`);
  const boxed = async (allow: string) => {
    host.html = `<iframe id="box" src="/in" sandbox="${allow}" width="900" height="700"></iframe>`;
    await page.goto(host.origin);
    return page.frameLocator("#box");
  };
  await expect((await boxed("allow-scripts")).getByRole("alert")).toContainText("This page is shown in a sandbox");
  const formless = await boxed("allow-scripts allow-same-origin");
  await expect(formless.frameLocator("eskadel-dashboard iframe").locator("#line b").first()).toBeVisible();
  const whole = await boxed("allow-scripts allow-same-origin allow-forms");
  await expect(whole.frameLocator("eskadel-dashboard iframe").locator("#line b").first()).toBeVisible();
  host.html = `${script}<eskadel-dashboard app="tag-desk"></eskadel-dashboard>`;
  await opened(page);
  await expect(page.getByRole("alert")).toContainText("The tag does not say which dashboard it shows (name).");
  expect(await told(page, "failed")).toMatchObject([{ reason: "tag" }]);
  host.html = script + tag().replace("tag-desk", "yard-desk");
  await opened(page);
  await expect.poll(async () => (await told(page, "failed"))[0]?.reason).toBe("not-allowed");
  await expect(page.getByRole("alert")).toContainText("may not show Eskadel");
  // A server that is not there.
  host.html = script + tag('home="http://127.0.0.1:9"');
  host.policy = strict.replace("frame-src", "frame-src http://127.0.0.1:9");
  await page.clock.install();
  await opened(page);
  await within(page);
  await page.clock.runFor(25_000);
  await expect(page.getByRole("alert")).toContainText("127.0.0.1:9 does not answer here");
  // A page that holds a frame of another version's tag.
  const answer = await page.request.get(`${eskadel}/embed/tag-desk/yard-today?v=1`);
  expect(answer.status()).toBe(409);
  expect(await answer.text()).toContain("of another version of Eskadel");
});

// In applications of one page tags come and go: nothing of them stays.
test("a tag that is added and removed a hundred times leaves nothing", async ({ page }) => {
  const wrong = complaints(page);
  host.html = script + `<main id="view"></main>`;
  await opened(page);
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("Performance.enable");
  const held = async () => {
    for (let i = 0; i < 3; i++) await cdp.send("HeapProfiler.collectGarbage");
    const { metrics } = await cdp.send("Performance.getMetrics");
    return Object.fromEntries(metrics.filter((m) => ["JSEventListeners", "Frames", "Nodes"].includes(m.name)).map((m) => [m.name, m.value]));
  };
  // Some are let come, the others go while they are on their way.
  const turns = async (times: number, each: number) => {
    for (let i = 0; i < times; i += each) {
      const before = (await told(page, "shown")).length;
      await page.evaluate(async (each) => {
        for (let n = 0; n < each; n++) {
          const t = document.createElement("eskadel-dashboard"), f = document.createElement("eskadel-figure");
          for (const [k, v] of Object.entries({ app: "tag-desk", name: "yard-today", widget: "open", "pass-url": "/pass" })) [t, f].forEach((e) => e.setAttribute(k, v));
          document.querySelector("#view")!.replaceChildren(t, f);
          history.pushState({}, "", `/${n}`);
          await new Promise((there) => requestAnimationFrame(there));
          if (n < each - 1) document.querySelector("#view")!.replaceChildren();
        }
      }, each);
      await shown(page, before + 1);
      await page.evaluate(() => document.querySelector("#view")!.replaceChildren());
    }
  };
  await turns(10, 5);
  const before = await held();
  await turns(100, 20);
  await expect.poll(() => page.frames().length).toBe(1);
  await expect.poll(async () => {
    const now = await held();
    return now.JSEventListeners <= before.JSEventListeners + 5 && now.Frames <= before.Frames + 1 && now.Nodes <= before.Nodes + 100;
  }).toBe(true);
  expect(wrong).toEqual([]);
});

// A frame looks as the page around it: its ground shows through, its ink and letters are the page's, by day, by night
// and when that changes; in a place of 240 pixels.
test("the dashboard is at home in the page, by day and by night", async ({ page }) => {
  const wrong = complaints(page);
  host.css = `body { background: #f3efe4; color: #2b2118; font-family: "Liberation Serif", serif; --eskadel-accent: #8a3d12; --eskadel-radius: 0.5rem; margin: 8px }
    body.night { background: rgb(20 26 34); color: #e8e2d4; --eskadel-accent: #f0b070; color-scheme: dark } .strip { width: 240px }`;
  host.html = script + tag('theme="host"');
  await opened(page);
  await shown(page);
  const frame = await within(page), seen = (what: string) => frame.evaluate((w) => getComputedStyle(document.body).getPropertyValue(w), what);
  await settled(frame);
  expect(await seen("background-color")).toBe("rgb(243, 239, 228)");
  expect(await seen("color")).toBe("rgb(43, 33, 24)");
  expect(await seen("font-family")).toBe('"Liberation Serif", serif');
  expect(await seen("--radius")).toBe("8px");
  await expect(frame.locator("#line .phrase").first()).toHaveCSS("color", "rgb(138, 61, 18)");
  await noSeriousProblem(page, "at home by day");
  await page.evaluate(() => document.body.classList.add("night"));
  await expect.poll(() => seen("color")).toBe("rgb(232, 226, 212)");
  await expect(page.locator("eskadel-dashboard iframe")).toHaveCSS("color-scheme", "dark");
  await expect(frame.locator("#line .phrase").first()).toHaveCSS("color", "rgb(240, 176, 112)");
  await settled(frame);
  await noSeriousProblem(page, "at home by night");
  // Said by attributes instead; what is not known is told, and left out.
  await page.evaluate(() => {
    const t = document.querySelector("eskadel-dashboard")!;
    for (const [k, v] of Object.entries({ theme: "", ground: "#102030", ink: "teal", density: "tight" })) t.setAttribute(k, v);
  });
  await expect.poll(() => seen("background-color")).toBe("rgb(16, 32, 48)");
  await page.evaluate(() => document.querySelector("eskadel-dashboard")!.setAttribute("ground", "transparent"));
  await expect.poll(() => seen("background-color"), "the page's ground shows through").toBe("rgba(0, 0, 0, 0)");
  await expect.poll(async () => (await told(page, "failed"))[0]).toMatchObject({ reason: "look", words: expect.stringContaining("tight") });
  await page.evaluate(() => {
    const t = document.querySelector("eskadel-dashboard")!;
    for (const name of ["ground", "ink", "density"]) t.removeAttribute(name);
    t.setAttribute("theme", "host");
    document.body.className = "strip";
  });
  await expect.poll(() => seen("color")).toBe("rgb(43, 33, 24)");
  await settled(frame);
  expect(await frame.evaluate(() => [innerWidth < 245, document.documentElement.scrollWidth <= innerWidth])).toEqual([true, true]);
  await noSeriousProblem(page, "in 240 pixels");
  expect(wrong.filter((w) => !/status of 422/.test(w))).toEqual([]);
});

// Two applications on one server: neither comes to the other's dashboards, messages or what a browser keeps.
test("two host apps on one server know nothing of each other", async ({ page, browser }) => {
  const other = await Host.begin(browser, "other-desk");
  host.html = script + tag();
  await opened(page);
  await shown(page);
  const frame = await within(page);
  await settled(frame);
  // Its pass does not open the other's frame, nor does its page show it.
  const session = (app: string, pass: string, origin: string) => page.request.post(`${eskadel}/embed/${app}/yard-today/session`, { data: { pass, origin } });
  expect((await session("other-desk", host.pass(), other.origin)).status()).toBe(403);
  expect((await session("tag-desk", host.pass(), other.origin)).status()).toBe(403);
  expect((await session("tag-desk", host.pass({ iss: "other-desk" }), host.origin)).status()).toBe(403);
  expect((await session("tag-desk", host.pass(), host.origin)).status()).toBe(200);
  // A page of the other application that has the first one's window is neither heard nor told.
  const before = await line(frame).textContent(), heading = frame.locator("h1");
  other.html = "<p>other</p>";
  const [second] = await Promise.all([page.context().waitForEvent("page"), page.evaluate((to) => void open(to), other.origin)]);
  await second.waitForSelector("p");
  const heard = await second.evaluate(async () => {
    const heard: string[] = [];
    addEventListener("message", (e) => heard.push(e.origin));
    const frames = window.opener.frames as Window;
    for (const message of [{ say: "pass", pass: "x.y.z", as: {} }, { say: "no-pass", reason: "late", words: "hacked" }, { say: "do", id: 1, what: "filters", of: { what: ["mishap"] } }, { say: "figures", widgets: ["open"] }, { say: "lead", dashboards: [], anew: true }]) {
      for (let i = 0; i < frames.length; i++) frames[i].postMessage({ ...message, eskadel: 2 }, "*");
      window.opener.postMessage({ ...message, eskadel: 2 }, "*");
      window.opener.postMessage({ eskadel: 2, say: "record", address: "/taken" }, "*");
    }
    await new Promise((done) => { // every message before it has been dealt with when one of its own comes
      addEventListener("message", done, { once: true });
      postMessage("own", "*");
    });
    return heard;
  });
  expect(heard).toEqual([other.origin]);
  expect(await ask(page, "refresh")).toBe("");
  await settled(frame);
  await expect(heading).toHaveText("Yard today");
  expect(await line(frame).textContent()).toBe(before);
  expect(await told(page, "record")).toEqual([]);
  expect(await told(page, "failed")).toEqual([]);
  // The browser keeps nothing for Eskadel that another application's frame could find.
  expect(await frame.evaluate(() => {
    try {
      return [localStorage.length, sessionStorage.length, document.cookie];
    } catch {
      return [0, 0, document.cookie]; // the browser keeps nothing for the frame at all
    }
  })).toEqual([0, 0, ""]);
  expect((await page.context().cookies()).filter((c) => eskadel.includes(c.domain))).toEqual([]);
  other.end();
});
