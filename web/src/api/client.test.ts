import { afterEach, describe, expect, it, vi } from "vitest";
import { calls } from "../lib/calls";
import { asProblem, call, Problem, uploadTo } from "./client";

const URL = "http://127.0.0.1/api/x";
const asks = (method: string) => call(new Request(URL, { method })).catch((error: Problem) => `${error.code}: ${error.message} ${error.hint}`);
const server = (answer: () => Response | Error) =>
  vi.stubGlobal("fetch", async () => {
    const told = answer();
    if (told instanceof Error) throw told;
    return told;
  });

describe("a call", () => {
  vi.stubGlobal("document", { cookie: "netloom_csrf=t" });
  afterEach(() => vi.restoreAllMocks());

  it.each([
    ["nobody answers", () => new TypeError("Failed to fetch")],
    ["it breaks off", () => new Response(new ReadableStream({ start: (out) => out.error(new TypeError("network error")) }))],
    ["the server fails", () => new Response("<html>", { status: 502 })],
  ])("that may have changed something is not told as undone where %s", async (_, answer) => {
    server(answer);
    expect(await asks("POST")).toContain("hether that was done is not known");
    expect(await asks("GET")).not.toContain("done");
    await expect(uploadTo(URL, new File(["x"], "a.bin"))).rejects.toBeInstanceOf(Problem);
  });

  it("that takes long is told as under way, until it has ended", async () => {
    vi.useFakeTimers();
    let answer = (_: Response) => {};
    vi.stubGlobal("fetch", () => new Promise<Response>((done) => (answer = done)));
    const asked = asks("POST");
    expect([calls.get().slow, vi.advanceTimersByTime(2000) && calls.get().slow]).toEqual([0, 1]);
    answer(Response.json({}));
    await asked;
    expect(calls.get().slow).toBe(0);
    vi.useRealTimers();
  });

  it("is refused in the server's own words, and a fault of the page is told in no raw ones", async () => {
    server(() => Response.json({ error: { code: "busy", message: "No.", try: "Later." } }, { status: 409 }));
    expect(await asks("PUT")).toBe("busy: No. Later.");
    vi.spyOn(console, "error").mockReturnValue();
    expect(asProblem(new TypeError("x is undefined")).message).not.toContain("undefined");
  });
});
