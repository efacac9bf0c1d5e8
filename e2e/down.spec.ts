import { execFileSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { dashboardFrame, settled, yardDeskAs } from "./help";

/** pg_ctl on the cluster of the tests, as the user that owns it. */
function cluster(action: string) {
  const dir = process.env.ESKADEL_PG_DIR!;
  const bin = execFileSync("bash", ["-c", "ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1"]).toString().trim();
  const options = existsSync(`${dir}/data/postmaster.opts`) ? /"-p".*/.exec(readFileSync(`${dir}/data/postmaster.opts`, "utf8"))![0].replaceAll('"', "").trim() : "";
  const command = action === "start" ? `${bin}/pg_ctl start -w -D "${dir}/data" -l "${dir}/log" -o "${options}"` : `${bin}/pg_ctl stop -m fast -w -D "${dir}/data"`;
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
