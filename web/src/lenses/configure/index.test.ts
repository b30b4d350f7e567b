import { expect, it } from "vitest";
import type { Device } from "../../api/client";
import { configure } from ".";

it("calls as intended only what was read", () => {
  const known = { taken_in: true, state: "known", fences: [], counts: {}, addresses: [], read: "2026-01-01", read_trouble: "" };
  const word = (now: object) => configure.tells({ ...known, ...now } as unknown as Device).word;
  expect([word({}), word({ read: null }), word({ read_trouble: "silent" })]).toEqual(["as intended", "never read", "not read"]);
});
