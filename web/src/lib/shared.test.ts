import { describe, expect, it } from "vitest";
import type { Setting, WholeDevice } from "../api/client";
import { sharedBy } from "./shared";

const setting = (path: string, more: Partial<Setting> = {}) => ({ path, type: "text", editor: "text", unit: "", limits: { max_length: 32 }, reserved: "", ...more }) as Setting;
const device = (profile: string, ...settings: Setting[]) => ({ profile, settings }) as WholeDevice;

describe("what several models share", () => {
  const name = setting("/name");
  const gain = setting("/gain", { type: "decimal", unit: "dB" });

  it("is all of one model", () => {
    expect(sharedBy([device("a", name, gain), device("a", name, gain)])).toEqual([name, gain]);
  });

  it("has the same path, type and limits on each", () => {
    const other = device("b", name, setting("/gain", { type: "decimal", unit: "%" }));
    expect(sharedBy([device("a", name, gain), other])).toEqual([name]);
    expect(sharedBy([device("a", name), device("b", setting("/name", { limits: { max_length: 16 } }))])).toEqual([]);
    expect(sharedBy([device("a", name), device("a", name), device("b", setting("/name", { reserved: "Its bus decides." }))])).toEqual([]);
  });
});
