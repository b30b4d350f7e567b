import { describe, expect, it } from "vitest";
import { filledBy } from "./useDragFill";

describe("what a drag fills", () => {
  it("is the column below or above the first cell", () => {
    expect(filledBy({ from: { row: 1, column: 2 }, to: { row: 3, column: 0 } }, false)).toEqual([
      { row: 2, column: 2 },
      { row: 3, column: 2 },
    ]);
    expect(filledBy({ from: { row: 2, column: 0 }, to: { row: 1, column: 0 } }, false)).toEqual([{ row: 1, column: 0 }]);
  });

  it("is a block where all columns are of one kind", () => {
    expect(filledBy({ from: { row: 1, column: 1 }, to: { row: 0, column: 2 } }, true)).toEqual([
      { row: 0, column: 1 },
      { row: 0, column: 2 },
      { row: 1, column: 2 },
    ]);
  });

  it("is nothing where it began", () => {
    expect(filledBy({ from: { row: 1, column: 1 }, to: { row: 1, column: 1 } }, true)).toEqual([]);
  });
});
