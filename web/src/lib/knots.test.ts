import { describe, expect, it } from "vitest";
import type { Device, Line } from "../api/client";
import { leftToDo, LENSES, lensOf, tells } from "../lenses/registry";
import { rowsOf, shortAddress, walk } from "./knots";
import { secondsLeft, shareDone } from "./live";
import { byLines, orderIn, sortedOut, type Warp } from "./warp";
import { ago, listed, needsAre, plural, shown } from "./words";

const ordered = (warps: Warp[], devices: Device[]) => orderIn(warps, sortedOut(warps, devices));

const line = (id: string) => ({ id, name: id, kind: "ip", network: "127.20.10.0/24" }) as Line;

function device(id: string, address: string, more: Partial<Device> = {}): Device {
  return {
    id,
    name: id,
    state: "known",
    serial: "S",
    taken_in: true,
    baseline: true,
    proof: "match",
    planned_address: address,
    fences: [],
    counts: { pending: 0, unkept: 0, drift: 0, lost: 0, place: 0, forbidden: 0 },
    addresses: [{ line: "net", line_id: "net", address, speed: 0 }],
    ...more,
  } as Device;
}

describe("rows of a strand", () => {
  const rows = rowsOf(line("net"), [device("c", "127.20.10.20"), device("a", "127.20.10.3"), device("b", "127.20.10.4")]);

  it("go in address order, not in the order of letters, with the gaps told", () => {
    expect(rows.map((row) => (row.kind === "gap" ? `${row.free} free` : row.device.id))).toEqual(["a", "b", "15 free", "c"]);
  });

  it("tell two devices on one address", () => {
    const twins = rowsOf(line("net"), [device("a", "127.20.10.3"), device("b", "127.20.10.3")]);
    expect(twins.every((row) => row.kind === "knot" && row.shared)).toBe(true);
  });
});

describe("walking the loom", () => {
  const order = [["a1", "a2", "a3"], [], ["b1"]];

  it.each([
    ["a1", "ArrowDown", "a2"],
    ["a3", "ArrowDown", "a3"],
    ["a1", "ArrowUp", "a1"],
    ["a3", "ArrowRight", "b1"],
    ["b1", "ArrowLeft", "a1"],
    ["a2", "End", "a3"],
    ["", "ArrowDown", "a1"],
    ["gone", "ArrowDown", "a1"],
  ])("from %s by %s to %s", (from, key, to) => expect(walk(order, from, key)).toBe(to));

  it("follows the strands", () => {
    expect(ordered(byLines([line("net"), line("other")]), [device("b", "127.20.10.9"), device("a", "127.20.10.2")])).toEqual([["a", "b"], []]);
  });
});

describe("what a knot tells", () => {
  it("follows the lens", () => {
    const one = device("a", "127.20.10.3", { planned_address: "127.20.10.14", counts: { pending: 1, unkept: 2, drift: 3, lost: 1, place: 0, forbidden: 0 } });
    expect(tells(one, lensOf("address")).word).toBe("to 127.20.10.14");
    expect(tells(one, lensOf("configure")).word).toBe("1 pending, 2 unkept");
    expect(tells(one, lensOf("prove")).word).toBe("3 drift, 1 lost");
    expect(tells(one, lensOf("protect")).word).toBe("has a baseline");
  });

  it("says a missing device is missing under every lens", () => {
    for (const lens of LENSES)
      expect(tells(device("a", "1", { state: "missing" }), lens)).toMatchObject({ word: "missing", shape: "dashed" });
  });

  it("counts what is left", () => {
    const devices = [device("a", "1"), device("b", "2", { baseline: false }), device("c", "3", { taken_in: false, state: "new" })];
    expect(leftToDo(devices, lensOf("survey"))).toBe(1);
    expect(leftToDo(devices, lensOf("protect"))).toBe(1);
    expect(leftToDo(devices, lensOf("prove"))).toBe(0);
    expect(leftToDo(devices, lensOf("handover"))).toBe(2);
    // What is never finished is not called done when the site is handed over.
    expect(LENSES.filter((lens) => lens.uncounted).map((lens) => lens.id)).toEqual(["route"]);
  });
});

describe("progress", () => {
  it("is that of the slowest, and tells the time left only when it knows", () => {
    expect(shareDone({ a: { connect: [10, 10], mdns: [1, 4] }, b: { osdp: [3, 4] } })).toBe(0.25);
    expect(shareDone({})).toBe(0);
    expect(secondsLeft(0.25, "2026-11-25T12:00:00Z", Date.parse("2026-11-25T12:00:10Z"))).toBe(30);
    expect(secondsLeft(0, "2026-11-25T12:00:00Z")).toBeNull();
  });
});

describe("words", () => {
  const now = Date.parse("2026-11-25T12:00:00Z");

  it.each([
    ["2026-11-25T11:59:58Z", "just now"],
    ["2026-11-25T11:59:20Z", "40 s ago"],
    ["2026-11-25T11:15:00Z", "45 min ago"],
    ["2026-11-25T02:00:00Z", "10 h ago"],
    ["2026-10-26T12:00:00Z", "30 d ago"],
    [null, "never"],
  ])("%s is %s", (at, words) => expect(ago(at, now)).toBe(words));

  it("shows values as people read them", () => {
    const setting = { limits: { options: [{ value: 1, label: "Closed" }] }, unit: "ms" };
    expect(shown(1, setting)).toBe("Closed");
    expect(shown(500, { limits: {}, unit: "ms" })).toBe("500 ms");
    expect(shown("", { limits: {}, unit: "" })).toBe("empty");
    expect(shown(null)).toBe("–");
    expect(plural(1, "setting")).toBe("1 setting");
    expect(listed(["a", "b", "c"])).toBe("a, b and c");
    expect(needsAre(["door", "link"])).toBe("a door and the link to the device");
    expect(shortAddress("127.20.10.14")).toBe(".14");
  });
});
