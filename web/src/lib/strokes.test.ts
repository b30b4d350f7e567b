import { describe, expect, it } from "vitest";
import type { Device } from "../api/client";
import type { Telling } from "./knots";
import { fitted } from "./strokes";

const PLAIN: Telling = { shape: "whole", tone: "ink", word: "known", ordinary: true };
const MISSING: Telling = { shape: "dashed", tone: "madder", word: "missing" };

const site = (signs: string) => [...signs].map((sign, n) => ({ id: `d${n}`, name: sign }) as unknown as Device);
const tells = (device: Device) => (device.name === "x" ? MISSING : PLAIN);
const drawn = (signs: string, height: number) => fitted(site(signs), tells, height).map((one) => one.devices.map((d) => d.name).join(""));

describe("knots of a thin strand", () => {
  it("each has its own place where there is room", () => {
    expect(drawn("...x..", 400)).toEqual([".", ".", ".", "x", ".", "."]);
  });
  it("runs of ordinary ones are one stroke where there is none; who has something to tell stays", () => {
    expect(drawn("....x...xx.....", 100)).toEqual(["....", "x", "...", "x", "x", "....."]);
  });
  it.each([["." .repeat(300)], ["x".repeat(120)], [".x".repeat(60)], [""]])("all fit: %s", (signs) => {
    const strokes = fitted(site(signs), tells, 420);
    const bottom = strokes.reduce((most, one) => Math.max(most, one.top + one.height), 0);
    expect(bottom).toBeLessThanOrEqual(421);
    expect(strokes.reduce((sum, one) => sum + one.devices.length, 0)).toBe(signs.length);
  });
  it("nothing overlaps and the order is that of the wire", () => {
    const strokes = fitted(site("..xx....x".repeat(20)), tells, 300);
    strokes.slice(1).forEach((one, n) => expect(one.top).toBeGreaterThanOrEqual(strokes[n].top + strokes[n].height - 0.001));
  });
});
