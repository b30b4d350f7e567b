import { beforeEach, describe, expect, it } from "vitest";
import { Problem } from "../api/client";
import { at, edits } from "./edits";

const log: string[] = [];
const edit = (words: string, code = "") => ({
  words,
  back: async () => {
    if (code) throw new Problem(code, code, "");
    log.push(`back ${words}`);
  },
  again: async () => void log.push(`again ${words}`),
});

describe("edits", () => {
  beforeEach(() => {
    log.length = 0;
    edits.set({ past: [], future: [], busy: false });
  });

  it("go back and forth in their order, and a new one ends the way forth", async () => {
    for (const name of ["a", "b", "c"]) edits.done(edit(name));
    expect([await edits.undo(), await edits.undo(), await edits.redo()]).toEqual(["c", "b", "b"]);
    edits.done(edit("d"));
    expect([await edits.redo(), await edits.undo(), await edits.undo(), await edits.undo(), await edits.undo()]).toEqual(["", "d", "b", "a", ""]);
    expect(log).toEqual(["back c", "back b", "again b", "back d", "back b", "back a"]);
  });

  it("that are refused are told and stand in nobody's way", async () => {
    edits.done(edit("a"));
    edits.done(edit("b", "conflict"));
    await expect(edits.undo()).rejects.toThrow("conflict");
    expect(await edits.undo()).toBe("a");
    edits.done(edit("c", "offline"));
    for (const _ of "..") await expect(edits.undo()).rejects.toThrow("offline");
    expect(edits.get().busy).toBe(false);
  });

  it("happen one at a time", async () => {
    edits.done(edit("a"));
    edits.done(edit("b"));
    const both = await Promise.all([edits.undo(), edits.undo()]);
    expect(both).toEqual(["b", ""]);
  });
});

describe("pointers", () => {
  it("lead to what stands there, with their escapes", () => {
    expect(at({ a: { "b/c": [1, { "d~": 2 }] } }, "/a/b~1c/1/d~0")).toBe(2);
    expect(at({ a: null }, "/a/b")).toBeUndefined();
  });
});
