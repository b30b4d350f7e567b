import { describe, expect, it } from "vitest";
import type { Run } from "../../api/client";
import { toldOfSteps } from "./kind";

const run = (counts: Record<string, number>, failures: object[] = []) => ({ counts, failures }) as unknown as Run;

describe("what came of steps, in one line", () => {
  it.each([
    [run({ done: 2 }), "2 steps done, all read back"],
    [run({ done: 1, unproven: 1 }), "2 steps done, 1 of them unproven: no reading can show it"],
    [run({ done: 1, failed: 1 }, [{ name: "Gate", message: "Silence." }]), "Gate: Silence."],
    [run({ failed: 2, unknown: 1 }, [{ name: "Gate", message: "Silence." }]), "Gate: Silence. And 2 steps more."],
  ])("%#", (one, words) => expect(toldOfSteps(one)).toBe(words));
});
