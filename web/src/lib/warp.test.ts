import { describe, expect, it } from "vitest";
import type { Device, Line } from "../api/client";
import { byAreas, byLines, byUniverses, carried, NO_AREA, nextWarp, orderIn, rowsIn, sortedOut, type Warp, warpsBy } from "./warp";

const ordered = (warps: Warp[], devices: Device[]) => orderIn(warps, sortedOut(warps, devices));

const place = (line: string, address: string) => ({ line, line_id: line, address, speed: 0 });
const device = (name: string, area: string, address = "", state = "known") =>
  ({ id: name, name, area, state, addresses: address ? [place("net", address)] : [] }) as unknown as Device;
const line = { id: "net", name: "net", kind: "ip", network: "127.20.10.0/24" } as Line;

describe("another warp", () => {
  const devices = [device("Box 10", "Quay", "127.20.10.3"), device("Box 9", "Quay", "127.20.10.4", "duplicate"), device("Hall", "Hall"), device("Stray", "")];

  it("has the areas that anybody is in, and at the end those without one", () => {
    expect(byAreas([{ name: "Quay" }, { name: "Empty" }, { name: "Hall" }], devices).map((warp) => warp.name)).toEqual(["Quay", "Hall", NO_AREA]);
    expect(byAreas([{ name: "Hall" }], [device("Hall", "Hall")]).map((warp) => warp.name)).toEqual(["Hall"]);
  });

  it("orders an area by names as people read them, and says on which line each is", () => {
    const rows = rowsIn({ id: "area Quay", name: "Quay", area: "Quay" }, devices);
    expect(rows.map((row) => row.kind === "knot" && [row.device.name, row.beside, row.shared])).toEqual([["Box 9", "net", true], ["Box 10", "net", false]]);
    expect(rowsIn({ id: "area", name: NO_AREA, area: "" }, devices)).toMatchObject([{ address: "", beside: "on no line" }]);
  });

  it("is not misled by an area that people named like that", () => {
    const odd = [device("a", NO_AREA), device("b", "")];
    expect(ordered(byAreas([{ name: NO_AREA }], odd), odd)).toEqual([["a"], ["b"]]);
  });

  it("is walked as it is drawn", () => {
    expect(ordered(byLines([line]), devices)).toEqual([["Box 10", "Box 9"]]);
    expect(ordered(byAreas([{ name: "Quay" }, { name: "Hall" }], devices), devices)).toEqual([["Box 9", "Box 10"], ["Hall"], ["Stray"]]);
  });
});

describe("universes as strands", () => {
  const network = { ...line, rules: { universes: [{ number: 2, name: "Roof" }] } } as unknown as Line;
  const fixture = (name: string, universe: number | null, slot: number) => ({ ...device(name, "", "127.20.10.3"), universe, slot });
  const devices = [fixture("B", 2, 9), fixture("A", 10, 1), fixture("C", 2, 1), fixture("Node", null, 0)];

  it("are those that somebody listens to, in the order of their numbers", () => {
    const warps = byUniverses([network], devices);
    expect(warps.map((warp) => warp.name)).toEqual(["Universe 2 · Roof", "Universe 10"]);
    expect(ordered(warps, devices)).toEqual([["C", "B"], ["A"]]);
    expect(rowsIn(warps[0], devices)[1]).toMatchObject({ address: "9", beside: "127.20.10.3" });
  });

  it("are offered only where there are any", () => {
    expect([nextWarp("lines", devices), nextWarp("areas", devices), nextWarp("universes", devices)]).toEqual(["areas", "universes", "lines"]);
    expect(nextWarp("areas", [fixture("Node", null, 0)])).toBe("lines");
    expect(warpsBy("universes", [network], [], [fixture("Node", null, 0)]).map((warp) => warp.id)).toEqual(["net"]);
  });
});

describe("a strand that is carried", () => {
  const order = ["a", "b", "c", "d"];
  it("takes the place of the one that it is laid onto", () => {
    expect(carried(order, "a", "c")).toEqual(["b", "c", "a", "d"]);
    expect(carried(order, "d", "b")).toEqual(["a", "d", "b", "c"]);
    expect(carried(order, "a", "d")).toEqual(["b", "c", "d", "a"]);
  });
  it("stays where there is nothing to do", () => {
    expect(carried(order, "a", "a")).toBeUndefined();
    expect(carried(order, "x", "a")).toBeUndefined();
  });
});

describe("devices by strand", () => {
  const at = (id: string, line: string) => ({ id, name: id, area: "", addresses: [{ line_id: line, address: id }] }) as unknown as Device;
  const warps = ["net", "bus"].map((id) => ({ id, name: id, line: { id } as Line }));

  it("are the very same lists where nobody of them changed", () => {
    const [one, two, three] = [at("1", "net"), at("2", "net"), at("3", "bus")];
    const before = sortedOut(warps, [one, two, three]);
    const after = sortedOut(warps, [one, { ...two, name: "changed" }, three], before);
    expect(after.get("bus")).toBe(before.get("bus"));
    expect(after.get("net")).not.toBe(before.get("net"));
    expect(after.get("net")?.map((d) => d.name)).toEqual(["1", "changed"]);
  });

  it("have somebody who is on two lines on both, once", () => {
    const both = { ...at("1", "net"), addresses: [{ line_id: "net" }, { line_id: "net" }, { line_id: "bus" }] } as unknown as Device;
    const strands = sortedOut(warps, [both]);
    expect([strands.get("net"), strands.get("bus")]).toEqual([[both], [both]]);
  });
});
