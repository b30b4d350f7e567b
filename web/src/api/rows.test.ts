import { describe, expect, it } from "vitest";
import type { Device, RunStep } from "./client";
import { withRows, withSteps } from "./rows";

const device = (id: string, name: string, state = "known") => ({ id, name, state }) as Device;
const names = (devices: Device[]) => devices.map((one) => one.name).join(" ");

describe("a row that changed", () => {
  const list = [device("a", "Bay"), device("b", "Gate"), device("c", "Mast")];

  it("takes the place of the old one, and the others stay the very same", () => {
    const now = withRows(list, new Map([["b", device("b", "Gate", "missing")]]));
    expect(now[1].state).toBe("missing");
    expect(now[0]).toBe(list[0]);
  });

  it("comes in where its name belongs, and moves when it is renamed", () => {
    expect(names(withRows(list, new Map([["d", device("d", "Hall")]])))).toBe("Bay Gate Hall Mast");
    expect(names(withRows(list, new Map([["a", device("a", "Pier")]])))).toBe("Gate Mast Pier");
  });

  it("goes when the device is gone, and nobody is made of a row that says so", () => {
    expect(names(withRows(list, new Map([["b", null], ["x", null]])))).toBe("Bay Mast");
  });
});

describe("a step that changed", () => {
  it("is put among its run's, with the name that it had there", () => {
    const steps = [{ ordinal: 0, name: "Bay", state: "pending" }, { ordinal: 1, name: "Gate", state: "pending" }] as RunStep[];
    const now = withSteps(steps, [{ ordinal: 1, state: "acting" }, { ordinal: 1, state: "done" }, { ordinal: 9, state: "done" }] as RunStep[]);
    expect(now).toEqual([steps[0], { ordinal: 1, name: "Gate", state: "done" }]);
  });
});
