import { execFileSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { copied, dashboardFrame, settled, signIn, yardDeskAs } from "./help";

/** pg_ctl on the cluster of the tests, as the user that owns it. */
function cluster(action: "start" | "stop" | "kill") {
  const dir = process.env.ESKADEL_PG_DIR!;
  const bin = execFileSync("bash", ["-c", "ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1"]).toString().trim();
  const options = existsSync(`${dir}/data/postmaster.opts`) ? /"-p".*/.exec(readFileSync(`${dir}/data/postmaster.opts`, "utf8"))![0].replaceAll('"', "").trim() : "";
  const command = action === "start" ? `${bin}/pg_ctl start -w -D "${dir}/data" -l "${dir}/log" -o "${options}"` : `${bin}/pg_ctl stop -m ${action === "kill" ? "immediate" : "fast"} -w -D "${dir}/data"`;
  const asRoot = process.getuid!() === 0;
  execFileSync(asRoot ? "su" : "bash", asRoot ? ["postgres", "-s", "/bin/bash", "-c", command] : ["-c", command], { cwd: "/", stdio: "ignore" });
}

test("a stopped database gives a sentence in each widget, and recovers by itself", async ({ page }) => {
  await yardDeskAs(page, "director");
  const frame = await dashboardFrame(page);
  await settled(frame);
  cluster("stop");
  try {
    for (const widget of ["open", "cost", "jobs"]) await expect(frame.locator(`#w-${widget} [role=alert]`)).toContainText("does not answer");
  } finally {
    cluster("start");
  }
  await expect(frame.locator("#w-cost[data-drawn]")).toBeVisible({ timeout: 30_000 });
  await expect(frame.locator("#w-open .figure").first()).toBeVisible();
  await expect(frame.locator("#line b").first()).toBeVisible();
});

test("what is changed while the database is killed, or the browser, is kept", async ({ page, context }) => {
  await signIn(page);
  await copied(page, "hazards", "killed-hazards", "Killed hazards");
  const saved = (on: typeof page) => on.locator("#saved");
  const change = async (on: typeof page, id: string, words: string) => {
    await on.locator(`#${id}`).fill(words);
    await on.locator(`#${id}`).blur();
  };
  cluster("kill");
  try {
    await change(page, "answers", "Written while nothing answered");
    await expect(saved(page)).toHaveText("not saved");
    await change(page, "dashboard-title", "Named while nothing answered");
  } finally {
    cluster("start");
  }
  await expect(saved(page), "it is saved as soon as there is an answer").toContainText("draft saved", { timeout: 30_000 });

  // The window is closed at once after the last change, and not asked whether it may.
  const other = await context.newPage();
  await other.goto("/dashboards/killed-hazards/edit");
  await settled(other);
  await expect(other.locator("#answers")).toHaveValue("Written while nothing answered");
  await expect(other.locator("#dashboard-title")).toHaveValue("Named while nothing answered");
  await change(other, "answers", "Written at the very end");
  await other.close({ runBeforeUnload: false });
  await expect.poll(async () => {
    const answer = await page.request.get("/api/v1/dashboards/killed-hazards?draft=yes");
    return (await answer.json()).answers;
  }).toBe("Written at the very end");
});
