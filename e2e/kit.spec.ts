import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { builder, complaints, noSeriousProblem, place, signIn } from "./help";

const secretOf = "ESKADEL_SECRET";

/** How the code of a language is run, as somebody would in an application of their own: a file that prints a pass. */
const run: Record<string, (code: string, folder: string, secret: string) => string> = {
  go(code, folder, secret) {
    const root = process.env.ESKADEL_ROOT ?? "..", version = /golang-jwt\/jwt\/v5 (\S+)/.exec(readFileSync(`${root}/go.mod`, "utf8"))![1];
    writeFileSync(`${folder}/go.mod`, `module kit\n\ngo 1.26\n\nrequire github.com/golang-jwt/jwt/v5 ${version}\n`);
    cpSync(`${root}/go.sum`, `${folder}/go.sum`);
    writeFileSync(`${folder}/pass.go`, code);
    writeFileSync(`${folder}/main.go`, `package main\n\nimport "fmt"\n\nfunc main() {\n\tpass, err := viewerPass("7", "Orla Nairn", []string{"foreman"}, map[string]any{"yard": 3})\n\tif err != nil {\n\t\tpanic(err)\n\t}\n\tfmt.Print(pass)\n}\n`);
    return ran("go", ["run", "."], folder, secret);
  },
  javascript(code, folder, secret) {
    cpSync("node_modules", `${folder}/node_modules`, { recursive: true, filter: (from) => !/node_modules\/(@|playwright|typescript|axe|openapi)/.test(from) });
    writeFileSync(`${folder}/pass.mjs`, code);
    writeFileSync(`${folder}/main.mjs`, `import { viewerPass } from "./pass.mjs";\nprocess.stdout.write(viewerPass("7", "Orla Nairn", ["foreman"], { yard: 3 }));\n`);
    return ran("node", ["main.mjs"], folder, secret);
  },
  python(code, folder, secret) {
    writeFileSync(`${folder}/main.py`, `${code}\n\nprint(viewer_pass("7", "Orla Nairn", ["foreman"], {"yard": 3}), end="")\n`);
    return ran("/usr/bin/python3", ["main.py"], folder, secret);
  },
  ruby(code, folder, secret) {
    writeFileSync(`${folder}/main.rb`, `${code}\nprint viewer_pass("7", "Orla Nairn", ["foreman"], { yard: 3 })\n`);
    return ran("/usr/bin/ruby", ["main.rb"], folder, secret);
  },
  php(code, folder, secret) {
    writeFileSync(`${folder}/main.php`, `${code}\necho viewer_pass("7", "Orla Nairn", ["foreman"], ["yard" => 3]);\n`);
    return ran("php", ["main.php"], folder, secret);
  },
  java(code, folder, secret) {
    writeFileSync(`${folder}/Main.java`, `${code.replace("class ViewerPass", "class Main {\n    public static void main(String[] args) throws Exception {\n        System.out.print(ViewerPass.of(\"7\", \"Orla Nairn\", List.of(\"foreman\"), Map.of(\"yard\", 3)));\n    }\n}\n\nclass ViewerPass")}`);
    return ran("java", ["Main.java"], folder, secret);
  },
  csharp(code, folder, secret) {
    writeFileSync(`${folder}/Main.cs`, `${code}\nstatic class Program\n{\n    static void Main() => Console.Write(ViewerPass.Of("7", "Orla Nairn", new[] { "foreman" }, new Dictionary<string, object> { ["yard"] = 3 }));\n}\n`);
    ran("mcs", ["-langversion:latest", "-out:main.exe", "Main.cs"], folder, secret);
    return ran("mono", ["main.exe"], folder, secret);
  },
};

const ran = (program: string, args: string[], cwd: string, secret: string) => execFileSync(program, args, { cwd, env: { ...process.env, [secretOf]: secret }, encoding: "utf8" });

// What the kit hands a builder works as it stands: each language's code signs a pass that is found right, of a viewer
// who would see what row rules give them; and a pass that is wrong is told at which part.
test("the kit's code signs passes in every language, and says what is wrong with others", async ({ page }) => {
  test.slow();
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/people/hosts");
  await page.getByText("Register a host app").click();
  await page.getByLabel("Title", { exact: true }).fill("Kit Desk");
  await page.getByLabel("An address of its pages").fill("https://kit.example");
  for (const once of [false, true]) {
    if (once) {
      await page.goto("/people/hosts/kit-desk");
      await page.getByLabel("each pass counts once").check();
      await page.getByRole("button", { name: "Keep" }).click();
    } else {
      await page.getByRole("button", { name: "Register" }).click();
      await page.getByLabel("Its name, which passes say").fill("kit-1");
      await page.getByRole("button", { name: "Make it" }).click();
      process.env.KIT_SECRET = await page.locator("#new-secret").innerText();
    }
    await page.getByRole("link", { name: "The tag and the code for it" }).click();
    await page.getByLabel("Show", { exact: true }).selectOption({ label: "Yard today" });
    await page.getByRole("button", { name: "Show me" }).click();
    await expect(page.locator("#kit-tag")).toContainText('<eskadel-dashboard app="kit-desk" name="yard-today" pass-url="/eskadel-pass" theme="host"');
    if (!once) await noSeriousProblem(page, "the kit");
    const codes = await page.locator(".snippet code").evaluateAll((all) => all.map((c) => [c.id.replace("kit-", ""), c.textContent ?? ""]));
    expect(codes.map(([name]) => name)).toEqual(Object.keys(run));
    for (const [language, code] of codes) {
      const folder = `${place}/kit/${language}`;
      rmSync(folder, { recursive: true, force: true });
      mkdirSync(folder, { recursive: true });
      const pass = run[language](code, folder, process.env.KIT_SECRET!);
      await page.locator("#kit-pass").fill(pass);
      await page.getByRole("button", { name: "Look at it" }).click();
      await expect(page.locator(".found"), language).toHaveText("This pass is right.");
      await expect(page.locator("tbody tr", { hasText: "attributes" })).toContainText("yard Tarn Quay");
      await expect(page.locator("main")).toContainText("They would be a viewer who is foreman, with yard Tarn Quay, and see");
      if (language !== "python" || once) continue;
      await noSeriousProblem(page, "a pass that is right");
      await page.locator("#kit-pass").fill(run[language](code.replace('"aud": "eskadel"', '"aud": "elsewhere"').replace("now + 300", "now + 3000"), folder, process.env.KIT_SECRET!));
      await page.getByRole("button", { name: "Look at it" }).click();
      await expect(page.locator("tbody tr", { hasText: "aud" })).toContainText("for another service");
      await expect(page.locator("tbody tr", { has: page.getByText("exp", { exact: true }) })).toContainText("longer than the 5 minutes");
      await noSeriousProblem(page, "a pass that is wrong");
      await page.locator("#kit-pass").fill(`${pass.slice(0, -6)}AAAAAA`);
      await page.getByRole("button", { name: "Look at it" }).click();
      await expect(page.locator("tbody tr", { hasText: "signature" })).toContainText("not that of the key “kit-1”");
      await expect(page.locator("main")).not.toContainText("They would be");
    }
  }
  await page.goto("/people/hosts/kit-desk");
  await page.getByRole("button", { name: "forget this host app" }).click();
  expect(wrong).toEqual([]);
});

// The tag is tried in a real frame, as a viewer would have it, under a policy that lets through nothing but what it
// needs, with trusted types, in a place of 240 pixels; a policy that forbids it shows nothing.
test("the tag is tried in a page under a policy", async ({ page }) => {
  const wrong = complaints(page);
  await signIn(page, builder);
  await page.goto("/people/hosts/yard-desk/kit?dashboard=yard-today");
  await page.getByRole("button", { name: "try it in a page" }).click();
  await page.getByLabel("Dashboard").selectOption({ label: "Hazards" });
  await page.getByLabel("foreman").check();
  await page.getByLabel("Tarn Quay").check();
  await page.getByLabel("the same, with trusted types").check();
  await page.getByLabel("and in a place that is wide").selectOption({ label: "240 pixels" });
  await noSeriousProblem(page, "trying the tag");
  await page.getByRole("button", { name: "Try it" }).press("Enter");
  const host = page.frameLocator("iframe.tried"), within = host.frameLocator("iframe");
  await expect(within.locator("#line")).toContainText("at your yard");
  await expect(within.locator(".widget").first()).toBeVisible();
  expect(await page.locator("iframe.tried").evaluate((f) => f.getBoundingClientRect().width)).toBeLessThan(245);
  expect(wrong).toEqual([]);
  await page.getByText("What, to whom").click();
  await page.getByLabel("one of your own").check();
  await page.getByLabel("The policy, in a line").fill("default-src 'none'");
  await page.getByRole("button", { name: "Try it" }).click();
  await expect(page.frameLocator("iframe.tried").locator("eskadel-dashboard")).toBeAttached();
  await expect(page.frameLocator("iframe.tried").locator("iframe")).toHaveCount(0);
});
