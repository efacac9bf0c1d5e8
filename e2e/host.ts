/** A host app of the tests' own: registered, with a server for its pages and a signer of viewer passes. */
import { createHmac } from "node:crypto";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import type { Browser } from "@playwright/test";
import { builder, eskadel, signIn } from "./help";

const part = (v: object) => Buffer.from(JSON.stringify(v)).toString("base64url");

export class Host {
  /** What is answered at a path besides the page, such as /pass. */
  answers: Record<string, (request: IncomingMessage, response: ServerResponse) => void> = {};
  html = "";
  script = "";
  policy = "";
  css = "";
  private server = createServer((request, response) => {
    const path = new URL(request.url!, "http://x").pathname, own = this.answers[path];
    if (own) return own(request, response);
    const files: Record<string, [string, string]> = { "/page.js": ["text/javascript", this.script], "/page.css": ["text/css", this.css], "/pass": ["text/plain", this.pass()] };
    const [type, text] = files[path] ?? ["text/html; charset=utf-8", `<!doctype html><html lang="en"><head><title>A host app</title><link rel="stylesheet" href="/page.css"><link rel="icon" href="data:,"></head><body>${this.html}<script src="/page.js" type="module"></script></body></html>`];
    if (type.startsWith("text/html")) response.setHeader("Content-Security-Policy", this.policy);
    response.setHeader("Content-Type", type).end(text);
  });

  private constructor(readonly name: string, private readonly secret: string) {}

  get origin() {
    return `http://localhost:${(this.server.address() as AddressInfo).port}`;
  }

  /** Registers a host app, and begins to serve its pages. */
  static async begin(browser: Browser, name: string) {
    const page = await (await browser.newContext({ baseURL: eskadel })).newPage();
    await signIn(page, builder);
    const host = new Host(name, ""), headers = { "X-CSRF-Token": (await page.getAttribute("body", "data-csrf"))!, "If-Match": "*" };
    await new Promise<void>((ready) => host.server.listen(0, "127.0.0.1", ready));
    const asked = async (path: string, data: object) => {
      const answer = await page.request.put(`/api/v1/hosts/${path}`, { headers, data });
      if (!answer.ok()) throw new Error(await answer.text());
      return answer;
    };
    await page.request.delete(`/api/v1/hosts/${name}`, { headers });
    await asked(name, { title: name, address: host.origin, origins: [host.origin] });
    const { secret } = await (await asked(`${name}/keys/${name}-1`, {})).json();
    Object.assign(host, { secret });
    await page.context().close();
    return host;
  }

  /** A viewer pass for a director, or with other claims. */
  pass(claims: object = {}) {
    const now = Math.floor(Date.now() / 1000);
    const text = `${part({ alg: "HS256", typ: "JWT", kid: `${this.name}-1` })}.${part({ iss: this.name, aud: "eskadel", sub: "7", name: "Orla Nairn", iat: now, exp: now + 300, roles: ["director"], attributes: {}, scope: { dashboards: ["yard-today", "hazards", "money"] }, ...claims })}`;
    return `${text}.${createHmac("sha256", this.secret).update(text).digest("base64url")}`;
  }

  end() {
    this.server.closeAllConnections();
    this.server.close();
  }
}
