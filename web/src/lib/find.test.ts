import { describe, expect, it } from "vitest";
import type { Device } from "../api/client";
import { areasNamed, devicesNamed } from "./find";

const device = (name: string, area: string, address = "127.20.10.1", serial = ""): Device =>
  ({ id: name, name, area, serial, model: "M1", addresses: [{ address }] }) as unknown as Device;
const SITE = [device("Mast camera", "Pier"), device("Waiting room box", "Hall"), device("Pier head box", "Quay"), device("Gate", "Pier", "127.20.10.13", "HV-7")];

describe("finding a device", () => {
  it("puts its name before the area that it is in", () => {
    expect(devicesNamed(SITE, "pier").map((d) => d.name)).toEqual(["Pier head box", "Mast camera", "Gate"]);
  });
  it("finds a word within a name, an end of an address, a serial number", () => {
    expect(devicesNamed(SITE, "room")[0].name).toBe("Waiting room box");
    expect(devicesNamed(SITE, "10.13")[0].name).toBe("Gate");
    expect(devicesNamed(SITE, "hv-7").map((d) => d.name)).toEqual(["Gate"]);
  });
  it("gives all for no word, and areas with who is in them", () => {
    expect(devicesNamed(SITE, " ")).toHaveLength(4);
    expect(areasNamed(SITE, "pi").map((one) => [one.area, one.those.length])).toEqual([["Pier", 2]]);
  });
});
