/** Starts a fresh demonstration for the tests, and stops it at the end. */
import { spawn } from "node:child_process";
import { place } from "./help";

export default async function start() {
  const ports = ["-port", process.env.ESKADEL_PORT ?? "18080", "-yarddesk-port", process.env.ESKADEL_DESK_PORT ?? "18090", "-staff-port", "0", "-post-port", process.env.ESKADEL_POST_PORT ?? "18092"];
  const program = spawn(`${place}/bin/eskadel`, ["demo", "-fresh", "-name", "e2e", ...ports], { stdio: ["ignore", "pipe", "inherit"], cwd: process.env.ESKADEL_ROOT ?? "..", env: { ...process.env, ESKADEL_NOW: process.env.ESKADEL_MOMENT ?? "2026-11-18T14:23:11Z" } });
  let said = "";
  await new Promise<void>((ready, failed) => {
    program.stdout.on("data", (text) => {
      said += String(text);
      if (said.includes("Ctrl+C")) ready();
    });
    program.on("exit", (code) => failed(new Error(`the demonstration ended with ${code}: ${said}`)));
  });
  [, process.env.ESKADEL_PG_PORT, process.env.ESKADEL_PG_DIR] = /PostgreSQL: +127\.0\.0\.1:(\d+), in (.*)/.exec(said)!;
  program.removeAllListeners("exit");
  return () => new Promise<void>((done) => {
    program.on("exit", () => done());
    program.kill("SIGINT");
  });
}
