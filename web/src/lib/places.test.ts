import { describe, expect, it } from "vitest";
import type { Device, Line } from "../api/client";
import { rowsOf } from "./knots";
import { bounds, cellsOf, goesTo, placeAt, stepped, zoneOf } from "./places";

const NET = {
  id: "net",
  kind: "ip",
  network: "192.0.2.0/24",
  source: "192.0.2.250",
  rules: {
    ranges: [{ first: "192.0.2.10", last: "192.0.2.19", kind: "relay box", area: "7" }],
    reserved: [{ first: "192.0.2.12", last: "192.0.2.12", why: "printer" }],
    pool: { first: "192.0.2.200", last: "192.0.2.220" },
    gateway: "192.0.2.1",
  },
} as unknown as Line;
const BUS = { id: "bus", kind: "serial", protocol: "modbus", rules: {} } as unknown as Line;
const AREAS = new Map([["7", "Quay"]]);

const device = (id: string, address: string, more: Partial<Device> = {}): Device =>
  ({ id, name: id, state: "known", serial: "S", taken_in: true, planned_address: address, addresses: [{ line_id: "net", address }], ...more }) as Device;

const said = (last: number) => zoneOf(NET, bounds(NET)![0] + last, AREAS).said;

describe("places on a line", () => {
  it("are what its rules keep them for", () => {
    expect([0, 1, 11, 12, 50, 210, 250, 255].map(said)).toEqual([
      "the network's own address", "the line's gateway", "for relay box in Quay", "reserved: printer", "", "in the dynamic pool, 192.0.2.200 to 192.0.2.220", "this computer", "the broadcast address",
    ]);
  });

  it("are written as on that line, from its first to its last", () => {
    expect([placeAt(NET, bounds(NET)![1]), bounds(BUS), placeAt(BUS, 9)]).toEqual(["192.0.2.255", [1, 247], "9"]);
    expect(bounds({ ...BUS, protocol: "dialogue" })).toBeUndefined();
    expect(cellsOf(BUS, [], 1, AREAS)).toHaveLength(247);
  });

  it("have those who are there and those who are to come", () => {
    const devices = [device("a", "192.0.2.10", { planned_address: "192.0.2.14" }), device("b", "192.0.2.10"), device("c", "192.0.2.15", { serial: "", seen: null, state: "planned" }), device("d", "192.0.2.16#7")];
    const cells = cellsOf(NET, devices, bounds(NET)![0], AREAS);
    const told = cells.flatMap((cell) => (cell.here.length || cell.coming.length ? [`${cell.address} ${cell.here.map((d) => d.id)}>${cell.coming.map((d) => d.id)}`] : []));
    expect(told).toEqual(["192.0.2.10 a,b>", "192.0.2.14 >a", "192.0.2.15 >c"]);
    expect(goesTo(device("x", "192.0.2.3", { taken_in: false, planned_address: "192.0.2.4" }), "net")).toBe("");
  });

  it("are stepped to where nobody is and no rule speaks against it", () => {
    const devices = [device("a", "192.0.2.10"), device("b", "192.0.2.11"), device("c", "192.0.2.90", { planned_address: "192.0.2.13" })];
    expect(stepped(NET, devices, "192.0.2.10", 1)).toBe("192.0.2.14");
    expect(stepped(NET, devices, "192.0.2.2", -1)).toBe("192.0.2.2");
    expect(stepped(NET, devices, "192.0.2.199", 1)).toBe("192.0.2.221");
  });

  it("that are planned stand on the strand as ghosts, where a lens shows them", () => {
    const devices = [device("a", "192.0.2.10", { planned_address: "192.0.2.14" }), device("b", "192.0.2.11")];
    const rows = rowsOf(NET, devices, true).map((row) => (row.kind === "gap" ? `${row.free} free` : `${row.kind} ${row.device.id} ${row.address}`));
    expect(rows).toEqual(["knot a 192.0.2.10", "knot b 192.0.2.11", "2 free", "ghost a 192.0.2.14"]);
    expect(rowsOf(NET, devices)).toHaveLength(2);
  });
});
