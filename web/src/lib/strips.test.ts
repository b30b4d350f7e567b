import { describe, expect, it } from "vitest";
import { byPoint, countOf, type Edge, heightOf, seconds, spanOf, stretches } from "./strips";

const edge = (time: number, state: string, point = "relay-1", cause = ""): Edge => ({ device: "d", point, state, time, cause });

describe("a strip", () => {
  it("has each change once, whichever list it came by", () => {
    const found = byPoint([edge(2, "on"), edge(1, "off")], [edge(2, "on"), edge(3, "off"), edge(1, "x", "input-1")]);
    expect(found.get("d relay-1")!.map((one) => one.time)).toEqual([1, 2, 3]);
    expect([...found.keys()]).toEqual(["d relay-1", "d input-1"]);
  });

  it("begins where the state before it stood, and ends now", () => {
    const those = stretches([edge(5, "off"), edge(12, "on"), edge(14, "off")], 10, 20);
    expect(those.map(({ from, to, state }) => [from, to, state])).toEqual([
      [10, 12, "off"],
      [12, 14, "on"],
      [14, 20, "off"],
    ]);
    expect(those.map((one) => one.whole)).toEqual([false, true, false]);
  });

  it("has a gap where nobody could tell it, which is no change", () => {
    const edges = [edge(1, "off"), edge(3, ""), edge(6, "on"), edge(7, "off")];
    expect(stretches(edges, 0, 10).map((one) => one.state)).toEqual(["off", "", "on", "off"]);
    expect(countOf(edges, "off", 0, 10)).toEqual({ changes: 1, pulse: 1 });
    expect(stretches(edges, 0, 10)[2].whole).toBe(false);
  });

  it("counts what is in view and measures the last pulse", () => {
    const edges = [edge(1, "off"), edge(2, "on"), edge(2.5, "off"), edge(8, "on"), edge(8.75, "off"), edge(9, "on")];
    expect(countOf(edges, "off", 5, 10)).toEqual({ changes: 3, pulse: 0.75 });
    expect(countOf([edge(1, "off")], "off", 0, 10)).toEqual({ changes: 0, pulse: undefined });
  });

  it("draws words by their order and numbers by their size", () => {
    expect(["rest", "open", "fault"].map((state) => heightOf(state, ["rest", "open", "fault"], undefined))).toEqual([0, 0.5, 1]);
    const those = stretches([edge(0, "-12.5"), edge(1, "0"), edge(2, "")], 0, 3);
    expect(spanOf(those)).toEqual([-12.5, 0]);
    expect([heightOf("-12.5", [], [-12.5, 0]), heightOf("0", [], [-12.5, 0]), heightOf("3", [], [3, 3])]).toEqual([0, 1, 0.5]);
    expect(spanOf([])).toBeUndefined();
  });

  it("tells lengths in a fitting unit", () => {
    expect([0.04, 0.5, 2.345, 45, 300, 9000].map(seconds)).toEqual(["40 ms", "500 ms", "2.35 s", "45.0 s", "5 min", "2.5 h"]);
  });
});
