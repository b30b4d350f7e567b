import type { Run, RunStep } from "../../api/client";
import { plural } from "../../lib/words";

/** One kind of run in the tray: how it is called, whether it writes, what came of it in one line. */
export interface Kind {
  kind: string;
  name: string;
  /** Title of the plan that comes before it; none where nothing is written. */
  plan?: string;
  writes: boolean;
  told: (run: Run) => string;
}

export const failedOf = (run: Run): RunStep[] => (run.steps ?? []).filter((step) => step.state === "failed" || step.state === "unknown");

/** What came of steps on devices. */
export function toldOfSteps(run: Run): string {
  const steps = run.steps ?? [];
  const [first, ...more] = failedOf(run);
  if (first) return `${first.name}: ${first.message}${more.length ? ` And ${plural(more.length, "step")} more.` : ""}`;
  const unproven = steps.filter((step) => step.state === "unproven").length;
  if (unproven) return `${plural(steps.length, "step")} done, ${unproven} of them unproven: no reading can show it`;
  return `${plural(steps.length, "step")} done, all read back`;
}
