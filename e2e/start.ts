/** Starts a fresh demonstration for the tests, and stops it at the end. */
import { spawn } from "node:child_process";

export default async function start() {
  const program = spawn("../.eskadel/bin/eskadel", ["demo", "-fresh", "-dir", process.env.ESKADEL_E2E_DIR ?? "../.eskadel/e2e", "-port", "18080", "-yarddesk-port", "18090"], { stdio: ["ignore", "pipe", "inherit"] });
  await new Promise<void>((ready, failed) => {
    program.stdout.on("data", (text) => String(text).includes("Ctrl+C") && ready());
    program.on("exit", (code) => failed(new Error(`the demonstration ended with ${code}`)));
  });
  program.removeAllListeners("exit");
  return () => new Promise<void>((done) => {
    program.on("exit", () => done());
    program.kill("SIGINT");
  });
}
