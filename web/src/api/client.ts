import createClient from "openapi-fetch";
import { calls } from "../lib/calls";
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

/** One call, with its answer to the end. What is not as it was asked is a Problem, in the server's own words where it
 * has some; of a change that nobody answered, or that the server failed at, nobody here knows whether it was made. */
export async function call(request: Request): Promise<Response> {
  const looks = request.method === "GET";
  if (!looks) request.headers.set("X-CSRFToken", csrf());
  let response: Response, body: Blob;
  const ended = calls.begun();
  try {
    response = await fetch(request);
    body = await response.blob();
  } catch {
    throw looks
      ? new Problem("offline", "The server does not answer.", "Is it still running? Try again.")
      : new Problem("offline", "The server did not answer: whether that was done is not known.", "Is it still running? See what there is now, then try again.");
  } finally {
    ended();
  }
  if (response.ok) return new Response(body.size ? body : null, response);
  const told = await wordsOf(body);
  if (told) throw new Problem(told.code, told.message, told.try);
  const hint = looks ? "Try again." : "Whether that was done is not known: see what there is now, then try again.";
  throw new Problem("server", `The server failed (HTTP ${response.status}).`, hint);
}

async function wordsOf(body: Blob): Promise<{ code: string; message: string; try: string } | undefined> {
  try {
    return JSON.parse(await body.text()).error;
  } catch {
    return undefined;
  }
}

export const api = createClient<paths>({ baseUrl: "", fetch: call });

/** The answer's data. */
export async function got<T>(asked: Promise<{ data?: T }>): Promise<T> {
  return (await asked).data as T;
}

export function asProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  console.error(error);
  return new Problem("page", "This page made a mistake of its own.", "Load it again: what was decided and begun is kept by the server.");
}

export const upload = (url: string, file: File): Promise<Schemas["Archive"]> => uploadTo(url, file);

/** Asks for a file, and hands it to whoever reads this page. */
export async function save(url: string, body: unknown, name: string): Promise<void> {
  const response = await call(new Request(url, { method: "POST", body: JSON.stringify(body), headers: { "Content-Type": "application/json" } }));
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

export async function uploadTo<T>(url: string, file: File): Promise<T> {
  const headers = {
    "Content-Type": "application/octet-stream",
    "Content-Disposition": `attachment; filename=upload.${file.name.split(".").at(-1)?.replace(/\W/g, "") ?? "bin"}`,
  };
  return (await call(new Request(url, { method: "POST", body: file, headers }))).json();
}
