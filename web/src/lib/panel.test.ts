import { describe, expect, it } from "vitest";
import { placesOf } from "./panel";

const connector = { printed: "RELAYS", kind: "terminals", terminals: ["1 C", "1 NO", "2 C", "2 NO"], first: "left" as const, axis: "relay", excludes: [], note: "" };
const point = (number: number) => ({ short: `relay-${number}`, live: true, place: { relay: number } }) as never;
const paths: { path: string; place: Record<string, number> }[] = [
  { path: "/name", place: {} },
  { path: "/relays/2/idle", place: { relay: 2 } },
  { path: "/relays/1/idle", place: { relay: 1 } },
];

describe("the places of a connector", () => {
  it("are as many terminals each as its axis counts places", () => {
    const places = placesOf(connector, [1, 2], [point(2), point(1)], paths);
    expect(places.map((one) => [one.number, one.terminals, one.point?.short, one.path])).toEqual([
      [1, ["1 C", "1 NO"], "relay-1", "/relays/1/idle"],
      [2, ["2 C", "2 NO"], "relay-2", "/relays/2/idle"],
    ]);
  });

  it("stand as somebody sees them who stands before it", () => {
    expect(placesOf({ ...connector, first: "right" }, [1, 2], [], []).map((one) => one.terminals)).toEqual([
      ["2 NO", "2 C"],
      ["1 NO", "1 C"],
    ]);
  });

  it("are single terminals where nothing is counted, or the count does not fit", () => {
    expect(placesOf({ ...connector, axis: "" }, [], [], []).map((one) => one.terminals)).toEqual([["1 C"], ["1 NO"], ["2 C"], ["2 NO"]]);
    expect(placesOf(connector, [1, 2, 3], [point(1)], paths)[0]).toEqual({ number: 0, terminals: ["1 C"], path: "" });
  });
});
