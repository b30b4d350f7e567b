import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { partsOf } from "./plans";

const change = (path: string, from: unknown, to: unknown) => ({ path, label: path.slice(1), from, to });
const step = (device: string, action: string, changes: ReturnType<typeof change>[], disturbs: string[] = []) => ({ device, name: device.toUpperCase(), action, changes, disturbs, unkept: [] as string[] });
const plan = (...steps: ReturnType<typeof step>[]) => ({ steps, remarks: [] }) as unknown as Plan;
const many = Array.from({ length: 40 }, (_, n) => step(`d${n}`, "write", [change("/gateway", "0.0.0.0", "192.0.2.1"), change("/name", "", `box ${n}`)]));

describe("a plan in parts", () => {
  it("sums up what many are told alike, and says which values differ", () => {
    const [part, ...others] = partsOf(plan(...many));
    expect(others).toEqual([]);
    expect(part.devices).toHaveLength(40);
    expect(part.steps[0].rows).toEqual([
      { path: "/gateway", label: "gateway", from: "0.0.0.0", to: "192.0.2.1", varies: { from: false, to: false } },
      { path: "/name", label: "name", from: "", to: undefined, varies: { from: false, to: true } },
    ]);
  });

  it("shows a few each by itself, and what disturbs first", () => {
    const parts = partsOf(plan(...many.slice(0, 3), step("z", "readdress", [change("/address", "1", "2")], ["link"])));
    expect(parts.map((part) => part.devices.map((one) => one.name))).toEqual([["Z"], ["D0"], ["D1"], ["D2"]]);
  });

  it("shows both legs of one that goes by a spare place, each once", () => {
    const leg = (from: string, to: string) => ["stage", "store", "readdress"].map((action) => step("a", action, action === "store" ? [] : [change("/address", from, to)]));
    const [part] = partsOf(plan(...leg("1", "9"), ...leg("9", "2")));
    expect(part.steps.map((one) => one.rows.map((row) => row.to))).toEqual([["9"], [], [], ["2"], [], []]);
  });

  it("keeps those apart that are told something else or in another order", () => {
    const other = Array.from({ length: 5 }, (_, n) => [step(`e${n}`, "stage", [change("/gateway", 1, 2)]), step(`e${n}`, "restart", [change("/gateway", 1, 2)])]).flat();
    const parts = partsOf(plan(...many, ...other));
    expect(parts.map((part) => part.devices.length)).toEqual([40, 5]);
    expect(parts[1].steps.map((one) => one.rows.length)).toEqual([1, 0]);
  });
});
