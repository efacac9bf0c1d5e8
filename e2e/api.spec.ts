import { expect, test } from "@playwright/test";
import createClient from "openapi-fetch";
import type { paths } from "./generated/api";
import { builder, eskadel, signIn } from "./help";

// A program works with a client that was generated from the API's description.
test("a program with a generated client", async ({ page }) => {
  await signIn(page, builder);
  await page.goto("/you");
  await page.getByLabel("A key for").fill("generated client");
  await page.getByRole("button", { name: "Make it" }).last().click();
  const key = await page.locator("code", { hasText: "esk_" }).innerText();
  const api = createClient<paths>({ baseUrl: `${eskadel}/api/v1`, headers: { Authorization: `bearer ${key}` } });

  const { data: all } = await api.GET("/dashboards", { params: { query: { find: "yard" } } });
  expect(all?.map((d) => d.name)).toContain("yard-today");
  const { data: sets } = await api.GET("/datasets");
  expect(sets?.find((d) => d.name === "yard-jobs")?.source).toBe("yard-desk");

  const path = { dashboard: "by-program" };
  const document = {
    version: 2 as const, name: "by-program", title: "By program",
    pages: [{ title: "One", widgets: [{ id: "jobs", at: [0, 0, 6, 4], chart: { version: 2 as const, dataset: "yard-jobs", measures: [{ count: "records" }], by: [{ field: "kind" }], form: "bars" as const } }] }],
  };
  const made = await api.PUT("/dashboards/{dashboard}", { params: { path }, body: document });
  expect(made.response.status).toBe(201);
  expect(made.response.headers.get("ETag")).toBe('"1"');

  // Whoever does not say from which state a change was made, or says an old one, loses nothing of others.
  const unstated = await api.PUT("/dashboards/{dashboard}", { params: { path }, body: { ...document, title: "Mine" } });
  expect(unstated.response.status).toBe(428);
  const first = await api.PUT("/dashboards/{dashboard}", { params: { path, header: { "If-Match": '"1"' } }, body: { ...document, title: "Theirs" } });
  expect(first.data?.revision).toBe(2);
  const answers = { ...document, answers: "How many there are" };
  const outdated = await api.PUT("/dashboards/{dashboard}", { params: { path, header: { "If-Match": '"1"' } }, body: answers });
  expect(outdated.response.status).toBe(412);
  expect(outdated.error?.changes).toEqual(["title was “By program”, is “Theirs”"]);
  expect(outdated.error?.both).toBe(true);
  await api.PUT("/dashboards/{dashboard}", { params: { path, header: { "If-Match": '"1"' }, query: { resolve: "both" } }, body: answers });
  const { data: both } = await api.GET("/dashboards/{dashboard}", { params: { path, query: { draft: "1" } } });
  expect([both?.title, both?.answers]).toEqual(["Theirs", "How many there are"]);

  const published = await api.POST("/dashboards/{dashboard}/publish", { params: { path } });
  expect(published.data?.published).toBe(1);
  const run = await api.POST("/dashboards/{dashboard}/widgets/{widget}/run", { params: { path: { ...path, widget: "jobs" } }, body: {} });
  expect(run.data?.grid?.rows?.length).toBeGreaterThan(3);
  const mark = { ...run.data!.whole, keys: run.data!.grid!.rows![0].keys! };
  const records = await api.POST("/dashboards/{dashboard}/widgets/{widget}/records", { params: { path: { ...path, widget: "jobs" } }, body: { mark } });
  expect(String(records.data?.count)).toBe(run.data?.grid?.rows?.[0].cells?.[1].exact);

  const gone = await api.DELETE("/dashboards/{dashboard}", { params: { path } });
  expect(gone.response.status).toBe(204);
  const again = await api.DELETE("/dashboards/{dashboard}", { params: { path } });
  expect(again.response.status).toBe(404);
  expect(again.error?.title).toBe("Not Found");
});
