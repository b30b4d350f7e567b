import { describe, expect, it } from "vitest";
import { type Fixture, settled, slotsOf, span } from "./universes";

const fixture = (name: string, start: number, more: Partial<Fixture> = {}): Fixture => ({
  device: name, name, kind: "wash light", universe: 1, start, slots: 4, last: start + 3, heard: 1, at: start, takes: 4, personality: "", personalities: [],
  shares: "", can: true, fitted: true, mine: true, node: "", version: 1, ...more,
});
const clashes = (...fixtures: Fixture[]) => slotsOf(1, undefined, fixtures).filter((slot) => slot.clash).map((slot) => slot.n);

describe("slots of a universe", () => {
  it("clash where two are to listen that do not share them", () => {
    expect(clashes(fixture("A", 1), fixture("B", 3))).toEqual([3, 4]);
    expect(clashes(fixture("A", 1, { shares: "Left" }), fixture("B", 3, { shares: "left" }))).toEqual([]);
  });

  it("do not clash with one that is to leave them, nor on another universe", () => {
    expect(clashes(fixture("A", 1), fixture("B", 20, { at: 1 }))).toEqual([]);
    expect(clashes(fixture("A", 1), fixture("B", 1, { universe: 2, heard: 2 }))).toEqual([]);
    expect(clashes(fixture("A", 1), fixture("B", 1, { heard: null, at: 0, fitted: false }))).toEqual([1, 2, 3, 4]);
  });

  it("tell who is there, who comes and what they are kept for", () => {
    const slots = slotsOf(1, { number: 1, reserved: [{ first: "2", last: "2", why: "smoke" }], ranges: [{ first: "9", last: "12", kind: "dimmer" }] }, [fixture("A", 5, { at: 1, takes: 1 })]);
    expect(slots).toHaveLength(512);
    expect(slots.slice(0, 9).map((slot) => [slot.here.length, slot.coming.length, slot.zone])).toEqual([
      [1, 0, ""], [0, 0, "reserved"], [0, 0, ""], [0, 0, ""], [0, 1, ""], [0, 1, ""], [0, 1, ""], [0, 1, ""], [0, 0, "range"],
    ]);
    expect(slots[1].said).toBe("reserved: smoke");
    expect([settled(fixture("A", 5)), settled(fixture("A", 5, { takes: 1 }))]).toEqual([true, false]);
    expect([span(5, 4), span(5, 1), span(0, 4), span(510, 8)]).toEqual(["5 to 8", "5", "–", "510 to 512"]);
  });
});
