import { describe, expect, it } from "vitest";
import type { Setting, WholeDevice } from "../api/client";
import { besides, firstOf, partsOf, pasted, placeOf, type Part, valueOf } from "./grids";

const setting = (item: string, label: string, place: Record<string, number>, more: Partial<Setting> = {}): Setting =>
  ({ path: `${item} ${JSON.stringify(place)}`, item, label, place, editor: "row", type: "text", unit: "", limits: {}, ...more }) as unknown as Setting;

const RELAYS = [1, 2, 3].flatMap((n) => [setting("/relays/{relay}/name", `Relay ${n} name`, { relay: n }), setting("/relays/{relay}/idle", `Relay ${n} idle state`, { relay: n })]);

describe("settings of what is counted", () => {
  it("are a sheet with a row for each place, where the first of them stands", () => {
    const parts = partsOf([setting("/name", "Name", {}), ...RELAYS, setting("/place", "Place", {})]);
    expect(parts.map((part) => part.kind)).toEqual(["rows", "sheet", "rows"]);
    const part = parts[1];
    if (part.kind !== "sheet") throw new Error("no sheet");
    expect(part.sheet.title).toBe("Relay");
    expect(part.sheet.columns).toEqual(["Name", "Idle state"]);
    expect(part.sheet.rows.map((row) => row.label)).toEqual(["Relay 1", "Relay 2", "Relay 3"]);
    expect(part.sheet.rows[2].cells[1]?.label).toBe("Relay 3 idle state");
  });
  it("with two axes are crossed", () => {
    const bands = [1, 2].flatMap((o) => [1, 2, 3].map((b) => setting("/o/{output}/b/{band}", `Output ${o} band ${b} gain`, { output: o, band: b })));
    const [part] = partsOf(bands);
    if (part.kind !== "sheet") throw new Error("no sheet");
    expect([part.sheet.title, part.sheet.columns, part.sheet.rows.map((row) => row.label)]).toEqual(["Output band gain", ["1", "2", "3"], ["Output 1", "Output 2"]]);
  });
  it("stay rows where there is one place, or an editor that needs room", () => {
    expect(partsOf([setting("/x/{a}", "X 1", { a: 1 })])[0].kind).toBe("rows");
    expect(partsOf([1, 2].map((n) => setting("/c/{a}", `Curve ${n}`, { a: n }, { editor: "curve" })))[0].kind).toBe("rows");
  });
});

describe("points of the same places", () => {
  const point = (short: string, item: string, label: string, place: Record<string, number>) => ({ short, item, label, place }) as unknown as WholeDevice["points"][number];
  const part = partsOf(RELAYS)[0];
  const sheet = part.kind === "sheet" ? part.sheet : undefined;
  it("stand beside them, a column for each kind, by what they are called", () => {
    const points = [1, 2, 3, 4].flatMap((n) => [
      point(`relay-${n}`, "/relays/{relay}/state", `Relay ${n}: Counter ${n}`, { relay: n }),
      point(`fault-${n}`, "/relays/{relay}/fault", `Relay ${n} fault`, { relay: n }),
    ]);
    const columns = besides(sheet!, [...points, point("tamper", "/tamper", "Tamper", {})]);
    expect(columns.map((column) => [column.title, Object.keys(column.at)])).toEqual([
      ["Now", ["1", "2", "3"]],
      ["Fault", ["1", "2", "3"]],
    ]);
  });
  it("are told apart from the setting of the same name", () => {
    const [column] = besides(sheet!, [point("idle-1", "/relays/{relay}/idle", "Relay 1 idle state", { relay: 1 })]);
    expect(column.title).toBe("Idle state now");
  });
});

describe("what is pasted", () => {
  it("is rows of cells", () => {
    expect(pasted("a\tb\r\nc\t\n")).toEqual([["a", "b"], ["c", ""]]);
  });
  it("becomes values of the settings", () => {
    const options = { limits: { options: [{ value: "no", label: "Normally open" }] } } as Partial<Setting>;
    expect(valueOf(setting("/i", "I", {}, options), "normally OPEN")).toBe("no");
    expect(valueOf(setting("/i", "I", {}, { type: "boolean" } as Partial<Setting>), "Yes")).toBe(true);
    expect(valueOf(setting("/i", "I", {}, { unit: "ms" } as Partial<Setting>), "500 ms")).toBe("500");
    expect(valueOf(setting("/i", "I", {}), "")).toBeUndefined();
  });
});

describe("thousands of settings", () => {
  const rows = (n: number, from = 0) => Array.from({ length: n }, (_, at) => ({ path: `/s${from + at}`, label: `S${from + at}`, place: {}, item: `/s${from + at}`, editor: "row" }) as unknown as Setting);
  const sheet = { key: "relay", axis: "relay", title: "Relay", columns: ["a", "b"], rows: [1, 2, 3].map((n) => ({ label: `Relay ${n}`, number: n, cells: [rows(1, 100 + 2 * n)[0], n === 2 ? undefined : rows(1, 101 + 2 * n)[0]] })) };
  const parts: Part[] = [{ kind: "rows", settings: rows(4) }, { kind: "sheet", sheet }, { kind: "rows", settings: rows(3, 10) }];

  it("are drawn up to a number, and the rest is counted", () => {
    expect(firstOf(parts, 100)).toEqual({ shown: parts, left: 0 });
    const few = firstOf(parts, 3);
    expect(few.shown).toEqual([{ kind: "rows", settings: rows(3) }]);
    expect(few.left).toBe(1 + 5 + 3);
    const half = firstOf(parts, 6);
    expect(half.shown.map((part) => (part.kind === "rows" ? part.settings.length : part.sheet.rows.length))).toEqual([4, 1]);
    expect(half.left).toBe(3 + 3);
  });

  it("are found by their place", () => {
    expect([placeOf(parts, "/s0"), placeOf(parts, "/s3"), placeOf(parts, "/s102"), placeOf(parts, "/s12"), placeOf(parts, "/none")]).toEqual([1, 4, 5, 12, 0]);
  });
});
