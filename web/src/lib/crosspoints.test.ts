import { describe, expect, it } from "vitest";
import { called, type Column, type GridForm, heldBack, lockOn, moved, side, signal, toAll, told } from "./crosspoints";

const column = (number: number, more: Partial<Column> = {}): Column => ({ number, state: String(number), label: `Input ${number}`, name: "", jack: `in-${number}`, present: { point: `format-${number}`, one_of: [], none_of: ["-"] }, format: `format-${number}`, protected: { point: `protected-${number}`, one_of: ["on"], none_of: [] }, edid: "", stops: [], ...more });
const row = (number: number) => ({ ...column(number), label: `Output ${number}`, point: `output-${number}`, said: "", points: [], drive: number !== 3, stops: [{ point: `on-${number}`, states: ["off"], why: "the output is off", drive: true }] });
const grid: GridForm = { label: "Routing", rows: [1, 2, 3, 4].map(row), columns: [1, 2, 3].map((n) => column(n)), levels: null };

describe("crosspoints", () => {
  it("tells a signal, none, and what nobody knows apart", () => {
    expect(told(grid.columns[0].present, {})).toBeNull();
    expect(told(grid.columns[0].present, { "format-1": "-" })).toBe(false);
    expect(signal(grid.columns[0], { "format-1": "1920x1080p60", "protected-1": "on" })).toBe("1920x1080p60, copy-protected");
    expect(signal(grid.columns[0], { "format-1": "-" })).toBe("no signal");
    expect(signal(grid.columns[0], {})).toBe("signal not known");
    expect(signal(column(1, { present: null }), {})).toBe("");
  });
  it("says what holds a signal back", () => {
    expect(heldBack(grid.rows[0], { "on-1": "off" })).toBe("the output is off");
    expect(heldBack(grid.rows[0], {})).toBe("");
    expect(called(column(1, { name: "Timetable" }))).toBe("Timetable");
  });
  it("holds an input for every output that may have it and has it not", () => {
    const states = { "output-1": "2", "output-2": "1", "output-4": "1" };
    expect(toAll(grid, "2", states, (point) => point === "output-4")).toEqual({ "output-2": "2" });
  });
  it("finds the lock in the way", () => {
    const lock = { id: 1, device: "d", name: "M", point: "output-1", path: "/o", state: "3", why: "w", by: "b", at: "", said: "" };
    expect(lockOn([lock], "d", "output-1", "3")).toBe(lock);
    expect(lockOn([lock], "d", "output-1", "2")).toBeUndefined();
    expect(lockOn([{ ...lock, state: "" }], "d", "output-1", "2")).toBeDefined();
  });
  it("moves the cursor within the grid", () => {
    expect(moved([0, 0], "ArrowUp", 4, 3)).toEqual([0, 0]);
    expect(moved([1, 1], "End", 4, 3)).toEqual([1, 2]);
    expect(moved([1, 1], "PageDown", 4, 3)).toEqual([3, 1]);
    expect(moved([1, 1], "x", 4, 3)).toBeUndefined();
    expect([side(8), side(24), side(64)]).toEqual([26, 20, 15]);
  });
});
