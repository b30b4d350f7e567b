import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Device = Schemas["Device"];
export type WholeDevice = Schemas["WholeDevice"];
export type Line = Schemas["Line"];
export type Run = Schemas["Run"];
export type RunStep = Schemas["RunStep"];
export type Plan = Schemas["Plan"];
export type Paper = Schemas["Paper"];
export type Backup = Schemas["Backup"];
export type Setting = Schemas["Setting"];
/** What a run or a plan is asked for; what is left out is as usual. */
export type Work = Pick<Schemas["WorkRequest"], "kind"> & Partial<Omit<Schemas["WorkRequest"], "kind">>;
export const whole = (work: Work): Schemas["WorkRequest"] => ({ baseline: false, keep: true, lock: false, over_later: false, ...work });

/** What the server says when it refuses: what happened, and what to try. */
export class Problem extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly hint: string,
  ) {
    super(message);
  }
}

function csrf(): string {
  return /netloom_csrf=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

export const api = createClient<paths>({ baseUrl: "", credentials: "same-origin" });

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrf());
    return request;
  },
  onError() {
    return new Problem("offline", "The server does not answer.", "Nothing was lost. Is it still running? Try again.");
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The answer's data, or a Problem with the server's own words. */
export async function got<T>(asked: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await asked;
  if (response.ok) return data as T;
  const told = (error as { error?: { code: string; message: string; try: string } } | undefined)?.error;
  if (told) throw new Problem(told.code, told.message, told.try);
  throw new Problem("server", `The server failed (HTTP ${response.status}).`, "Nothing was written. Try again.");
}

export function asProblem(error: unknown): Problem {
  return error instanceof Problem ? error : new Problem("page", String(error), "Load the page again; nothing is lost.");
}

export const upload = (url: string, file: File): Promise<Schemas["Archive"]> => uploadTo(url, file);

/** Asks for a file, and hands it to whoever reads this page. */
export async function save(url: string, body: unknown, name: string): Promise<void> {
  const response = await fetch(url, {
    method: "POST",
    body: JSON.stringify(body),
    credentials: "same-origin",
    headers: { "X-CSRFToken": csrf(), "Content-Type": "application/json" },
  });
  if (!response.ok) {
    const { error } = await response.json();
    throw new Problem(error.code, error.message, error.try);
  }
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

export async function uploadTo<T>(url: string, file: File): Promise<T> {
  const response = await fetch(url, {
    method: "POST",
    body: file,
    credentials: "same-origin",
    headers: {
      "X-CSRFToken": csrf(),
      "Content-Type": "application/octet-stream",
      "Content-Disposition": `attachment; filename=upload.${file.name.split(".").at(-1)?.replace(/\W/g, "") ?? "bin"}`,
    },
  });
  const body = await response.json();
  if (!response.ok) throw new Problem(body.error.code, body.error.message, body.error.try);
  return body;
}
