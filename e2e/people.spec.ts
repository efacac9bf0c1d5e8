import { createHmac, generateKeyPairSync } from "node:crypto";
import { expect, test, type Page } from "@playwright/test";
import { builder, complaints, eskadel, invitation, noSeriousProblem, signIn } from "./help";

/** The code of a second factor (RFC 6238) so many half minutes from now. */
function code(secret: string, ahead = 0) {
  const bits = [...secret.replaceAll(" ", "")].map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0")).join("");
  const key = Buffer.from(bits.match(/.{8}/g)!.map((b) => parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000) + ahead));
  const sum = createHmac("sha1", key).update(step).digest();
  return String((sum.readUInt32BE(sum[19] & 15) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}

const looks = async (page: Page, what: string) => {
  await noSeriousProblem(page, what);
  await page.setViewportSize({ width: 390, height: 800 });
  await page.emulateMedia({ colorScheme: "dark" });
  await noSeriousProblem(page, `${what}, dark and narrow`);
  expect(await page.evaluate(() => document.documentElement.scrollWidth), `${what} fits`).toBeLessThanOrEqual(390);
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.emulateMedia({ colorScheme: "light" });
};

// A builder invites a foreman, whose yard is ticked; she comes by the link, sets up a second factor, signs in
// with it, and is let in no more while she looks.
test("somebody is invited, comes in with a second factor, and is let in no more", async ({ page, browser }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/people");
  await page.getByText("Invite somebody").press("Enter");
  await page.getByLabel("Name", { exact: true }).fill("Sanna Firth");
  await page.getByLabel("E-mail address").fill("sanna.firth@skerrin.example");
  await page.getByLabel("foreman").check();
  await page.getByLabel("Tarn Quay").check();
  await looks(page, "inviting");
  await page.getByRole("button", { name: "Invite" }).press("Enter");
  const link = await invitation(page, "sanna.firth@skerrin.example");
  await expect(page.locator("li", { hasText: "Sanna Firth" })).toContainText("invited, until");
  await expect(page.locator("li", { hasText: "Sanna Firth" })).toContainText("what the rules let foreman see, with yard Tarn Quay");

  const hers = await (await browser.newContext({ baseURL: eskadel })).newPage();
  const hersWrong = complaints(hers);
  await hers.goto(link);
  await expect(hers.getByRole("heading", { name: "Welcome, Sanna Firth" })).toBeVisible();
  await looks(hers, "coming in");
  await hers.getByLabel("Password").fill("sanna firth");
  await hers.keyboard.press("Enter");
  await expect(hers.locator(".wrong")).toContainText("guessed too easily");
  await hers.getByLabel("Password").fill("brass and wet rope");
  await hers.keyboard.press("Enter");
  await hers.waitForURL(`${eskadel}/`);

  await hers.getByRole("link", { name: "Sanna Firth" }).click();
  await expect(hers.locator(".rows").first()).toContainText("here and now");
  await looks(hers, "one's own account");
  await hers.getByRole("link", { name: "Ask for a code" }).click();
  const secret = await hers.locator("code.secret").innerText();
  expect(await hers.locator("img.factor").evaluate((i) => (i as HTMLImageElement).naturalWidth)).toBeGreaterThan(200);
  await looks(hers, "a second factor");
  await hers.getByLabel("The code that it shows now").fill(code(secret));
  await hers.getByLabel("Your password, once more").fill("brass and wet rope");
  await hers.keyboard.press("Enter");
  await expect(hers.locator(".spare li")).toHaveCount(8);
  const spare = await hers.locator(".spare li").first().innerText();
  await looks(hers, "spare codes");
  await hers.getByRole("link", { name: "I have kept them" }).click();
  await hers.getByRole("button", { name: "sign out" }).click();

  await hers.goto("/charts");
  await hers.fill("#email", "sanna.firth@skerrin.example");
  await hers.fill("#password", "brass and wet rope");
  await hers.keyboard.press("Enter");
  await expect(hers.getByLabel("Code")).toBeFocused();
  await looks(hers, "the code");
  await hers.getByLabel("Code").fill("12345");
  await hers.keyboard.press("Enter");
  await expect(hers.locator(".wrong")).toContainText("not the code");
  await hers.getByLabel("Code").fill(spare);
  await hers.keyboard.press("Enter");
  await hers.waitForURL(/\/charts$/);

  await page.getByRole("link", { name: "Sanna Firth" }).click();
  await expect(page.locator("main")).toContainText("asked for a code after it; 7 spare codes are left");
  await looks(page, "a person");
  await page.getByRole("button", { name: "let them in no more" }).click();
  await expect(page.locator("main")).toContainText("Let in no more since");
  await hers.goto("/charts");
  await hers.waitForURL(/sign-in/);
  for (const room of ["Teams", "Host apps", "The organisation", "What was done"]) {
    await page.getByRole("navigation", { name: "People and applications" }).getByRole("link", { name: room }).click();
    await expect(page.getByRole("heading", { level: 1, name: room })).toBeVisible();
    await looks(page, room);
  }
  await expect(page.locator("tbody")).toContainText("let in no more");
  expect(wrong).toEqual([]);
  expect(hersWrong.filter((w) => !w.includes("422"))).toEqual([]);
});

// Somebody whom the organisation signs in comes to where they wanted to go, and is an author from then on;
// who is not known there is not let in.
test("people come in through their organisation", async ({ page }) => {
  await page.goto("/dashboards/yard-today");
  await page.getByRole("link", { name: "Sign in through Skerrin staff" }).click();
  await page.getByRole("button", { name: "None of these" }).click();
  await expect(page.locator(".wrong")).toContainText("Skerrin staff has not signed you in");
  await page.goto("/dashboards/yard-today");
  await page.getByRole("link", { name: "Sign in through Skerrin staff" }).click();
  await page.getByRole("button", { name: "Ruan Teague" }).click();
  await page.waitForURL(`${eskadel}/dashboards/yard-today`);
  await page.goto("/you");
  await expect(page.locator("main")).toContainText("Skerrin staff signs you in");
  await page.getByLabel("A key for").fill("evening report");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator(".found code")).toContainText("esk_");
});

// A builder registers an application, gives it a secret and a public key beside it, and ends the first.
test("a host app is registered, and its keys are changed", async ({ page }) => {
  await signIn(page, builder);
  await page.goto("/people/hosts");
  await page.getByText("Register a host app").press("Enter");
  await page.getByLabel("Title", { exact: true }).fill("Ferry Desk");
  await page.getByLabel("An address of its pages").fill("https://*.ferry.example");
  await page.getByRole("button", { name: "Register" }).press("Enter");
  await expect(page.locator(".wrong")).toContainText("each host is named, without a *");
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue("Ferry Desk");
  await page.getByLabel("An address of its pages").first().fill("https://ferry.example:443/");
  await page.getByRole("button", { name: "Register" }).click();
  await page.waitForURL(/hosts\/ferry-desk$/);
  await expect(page.locator("main")).toContainText("Its pages come from https://ferry.example;");
  await expect(page.locator("main")).toContainText("No key yet");
  await looks(page, "a host app");
  await page.getByLabel("Its name, which passes say").fill("ferry-1");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator("#new-secret")).toHaveText(/^[\w-]{43}$/);
  await page.getByText("Another key").click();
  await page.getByLabel("Its name, which passes say").fill("ferry-2");
  await page.getByLabel("the public half of a pair").check();
  await page.getByLabel("The public key, as it is in its file").fill("something else");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator(".wrong")).toContainText("-----BEGIN PUBLIC KEY-----");
  const { publicKey } = generateKeyPairSync("ed25519");
  await page.getByLabel("The public key, as it is in its file").fill(publicKey.export({ type: "spki", format: "pem" }) as string);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator(".found")).toContainText("passes are signed by EdDSA");
  await looks(page, "keys of a host app");
  await page.getByRole("button", { name: "End the key ferry-1" }).click();
  await expect(page.locator("li", { hasText: "ferry-1" })).toContainText("ended");
  await expect(page.getByRole("button", { name: "End the key ferry-2" })).toBeVisible();
  await page.getByRole("button", { name: "forget this host app" }).click();
  await page.waitForURL(/people\/hosts$/);
  await expect(page.locator("main")).not.toContainText("Ferry Desk");
});
