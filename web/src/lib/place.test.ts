import { beforeAll, beforeEach, describe, expect, it, vi } from "vitest";

beforeAll(() => {
  const kept = new Map<string, string>();
  vi.stubGlobal("localStorage", { getItem: (key: string) => kept.get(key) ?? null, setItem: (key: string, value: string) => kept.set(key, value) });
});

const load = async () => ({ ...(await import("./place")), ...(await import("./live")) });
const order = ["a", "b", "c", "d"];

describe("the selection", () => {
  beforeEach(async () => (await load()).place.set({ selected: new Set(), base: new Set(), cursor: "", anchor: "" }));

  it("is one, or toggled, or a span from where it began", async () => {
    const { place, select } = await load();
    const selected = () => [...place.get().selected].sort().join("");
    select("b", "only");
    expect(selected()).toBe("b");
    select("d", "extend", order);
    expect(selected()).toBe("bcd");
    select("c", "extend", order);
    expect(selected()).toBe("bc");
    select("a", "extend", order);
    expect(selected()).toBe("ab");
    select("d", "toggle");
    expect(selected()).toBe("abd");
    select("c", "extend", order);
    expect(selected()).toBe("abcd");
    select("d", "extend", order);
    expect(selected()).toBe("abd");
    select("c", "only");
    expect(selected()).toBe("c");
    expect(place.get().cursor).toBe("c");
  });

  it("begins where nothing was selected yet", async () => {
    const { place, select } = await load();
    select("b", "extend", order);
    expect([...place.get().selected]).toEqual(["b"]);
  });

  it("goes round the densities and remembers", async () => {
    const { place, nextDensity, DENSITIES } = await load();
    const first = place.get().density;
    for (const expected of [...DENSITIES.slice(1), first]) {
      nextDensity();
      expect(place.get().density).toBe(expected);
      expect(localStorage.getItem("netloom.density")).toBe(expected);
    }
  });
});

describe("what streams in", () => {
  const sighting = (run: string, address: string) => ({ run, line: "net", address, method: "http", facts: {} });

  it("belongs to one sweep at a time", async () => {
    const { live } = await load();
    live.sighted(sighting("one", "1"));
    live.sighted(sighting("one", "2"));
    live.gather();
    expect(live.get().sightings).toHaveLength(2);
    live.sighted(sighting("one", "3"));
    live.progressed({ run: "two", lines: { net: { connect: [1, 2] } } });
    expect(live.get().sightings).toHaveLength(3);
    live.gather();
    expect(live.get().sightings).toHaveLength(0);
    live.sighted(sighting("two", "3"));
    expect(live.get().progress).toEqual({ net: { connect: [1, 2] } });
    expect(live.get().going).toBe(true);
    live.ran({ run: "one", state: "done" });
    expect(live.get().going).toBe(true);
    live.ran({ run: "two", state: "failed" });
    live.ran({ run: "another", state: "done" });
    live.progressed({ run: "two", lines: { net: { connect: [2, 2] } } });
    live.gather();
    expect(live.get()).toMatchObject({ going: false, progress: { net: { connect: [2, 2] } } });
  });

  it("merges points and tells trouble", async () => {
    const { live } = await load();
    live.pointed({ device: "d", states: { "relay-1": "on", "input-1": "rest" } });
    live.pointed({ device: "d", states: { "relay-1": "off" } });
    expect(live.get().points.d).toEqual({ "relay-1": "off", "input-1": "rest" });
    live.pointed({ device: "d", states: {}, trouble: "It fell silent." });
    expect(live.get().troubles.d).toBe("It fell silent.");
    live.pointed({ device: "d", states: {} });
    expect(live.get().troubles.d).toBe("");
  });

  it("tells listeners only of changes", async () => {
    const { live } = await load();
    const heard = vi.fn();
    const stop = live.subscribe(heard);
    live.connected(true);
    live.connected(true);
    live.connected(false);
    stop();
    live.connected(true);
    expect(heard.mock.calls.length).toBeLessThanOrEqual(2);
  });
});
