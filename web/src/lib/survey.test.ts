import { describe, expect, it } from "vitest";
import type { Device } from "../api/client";
import { base64Of, bytesOf, hexLines, printables } from "./bytes";
import { addressNumber, inState, stateOf } from "./knots";
import { live, whoIs } from "./live";
import { namedBy } from "./naming";
import { kindOf, whereOf } from "./words";

const device = {
  id: "a",
  model: "Q7",
  serial: "HV-1",
  kind: "relay box",
  area: "Quay",
  state: "known",
  mode: "",
  addresses: [{ line: "Net", line_id: "n", address: "127.20.10.41", speed: 0 }],
} as unknown as Device;

describe("names from a pattern", () => {
  it("fills in what is known and leaves what is not", () => {
    expect(namedBy("{area} {model} {nn} .{last} {odd}", 3, device, "", true)).toBe("Quay Q7 03 .41 {odd}");
    expect(namedBy("{serial} on {line}", 1, device, "Hall", true)).toBe("HV-1 on Net");
  });
  it("counts where the pattern makes the same name for all", () => {
    expect(namedBy("Box", 2, device, "", true)).toBe("Box 2");
    expect(namedBy("Box", 1, device, "", false)).toBe("Box");
  });
});

describe("bytes", () => {
  it("go to base64 and back", () => {
    const all = Uint8Array.from({ length: 256 }, (_, n) => n);
    expect(bytesOf(base64Of(all))).toEqual(all);
  });
  it("are shown as text without escape sequences", () => {
    expect(printables([{ data: btoa("\x1b[1mHi\x1b[0m\r\nthere\x07") }], () => "in")).toEqual(["Hi\nthere<07>"]);
  });
  it("are shown as text though letters and sequences came in two pieces, and streams between each other", () => {
    const came = new TextEncoder().encode("\x1b[1mTür");
    const pieces = [...came].flatMap((byte) => [
      { data: base64Of(Uint8Array.of(byte)), out: false },
      { data: btoa("x"), out: true },
    ]);
    const texts = printables(pieces, (piece) => piece.out);
    expect(texts.filter((_, at) => at % 2 === 0).join("")).toBe("Tür");
    expect(texts.filter((_, at) => at % 2 === 1).join("")).toBe("x".repeat(came.length));
    expect(printables([{ data: btoa("a\xc3") }, { data: btoa("\x1b[") }], () => 0)).toEqual(["a", "\ufffd<1b>["]);
  });
  it("are shown in hex with offsets", () => {
    const [first, second] = hexLines(new TextEncoder().encode("0123456789abcdefZ"), 16);
    expect(first).toBe("000010  30 31 32 33 34 35 36 37 38 39 61 62 63 64 65 66  0123456789abcdef");
    expect(second.startsWith("000020  5a ")).toBe(true);
  });
});

describe("states and places", () => {
  it("filters by state", () => {
    expect(inState([device], "")).toEqual([device]);
    expect(inState([device], "missing")).toEqual([]);
  });
  it("tells a firmware mode", () => {
    expect(stateOf({ ...device, mode: "loader" }).word).toBe("in loader mode");
  });
  it("orders addresses that are no numbers first", () => {
    expect(addressNumber("direct")).toBe(0);
    expect(addressNumber("127.0.0.2")).toBeGreaterThan(addressNumber("127.0.0.1"));
  });
  it("words lines", () => {
    expect(kindOf({ kind: "behind", protocol: "", parent_name: "Doors" })).toBe("Behind Doors");
    expect(whereOf({ kind: "serial", network: "", path: "/dev/ttyUSB0", speed: 9600, parity: "N" })).toBe("ttyUSB0 · 9600");
    expect(whereOf({ kind: "serial", network: "", path: "/dev/ttyUSB0", speed: 9600, parity: "E" })).toBe("ttyUSB0 · 9600 8E1");
  });
});

describe("sightings", () => {
  const seen = (address: string, facts: Record<string, string> = {}) => ({ run: "r", line: "n", address, method: "http", facts });
  it("are gathered by line and address, the best word kept", () => {
    live.sighted(seen("1", { ports: "80" }));
    live.sighted(seen("1", { model: "Q7", serial: "HV-1" }));
    live.sighted(seen("1", { ports: "443" }));
    live.gather();
    expect(live.get().answered).toEqual({ n: { "1": "Q7 HV-1" } });
    expect(live.get().sightings).toHaveLength(3);
  });
  it("are bounded, however many come", () => {
    for (let n = 0; n < 3000; n++) live.sighted(seen(String(n)));
    live.gather();
    expect(live.get().sightings.length).toBeLessThanOrEqual(400);
    expect(Object.keys(live.get().answered.n)).toHaveLength(3000);
  });
  it("are named by what tells most", () => {
    expect(whoIs({ title: "Screen", banner: "x" })).toBe("Screen");
  });
});
