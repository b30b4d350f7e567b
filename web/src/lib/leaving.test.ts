import { describe, expect, it } from "vitest";
import type { Device } from "../api/client";
import { notKept, unkept } from "./leaving";

const device = (name: string, count: number, taken_in = true) => ({ name, taken_in, counts: { unkept: count } }) as Device;

describe("what would be lost", () => {
  it("is on devices of the installation, the most first", () => {
    const found = unkept([device("a", 1), device("b", 0), device("c", 4), device("stranger", 9, false)]);
    expect(found.map((d) => d.name)).toEqual(["c", "a"]);
  });

  it("is told in one sentence", () => {
    expect(notKept([device("Hall", 1)])).toBe("1 value on Hall is not kept: a power cut would take it back.");
    expect(notKept([device("c", 4), device("a", 1)])).toBe("5 values on 2 devices are not kept: a power cut would take them back.");
  });
});
