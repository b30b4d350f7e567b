import type { Run } from "../../api/client";
import { plural } from "../../lib/words";

/** One kind of run in the tray: how it is called, whether it writes, what came of it in one line. */
export interface Kind {
  kind: string;
  name: string;
  /** Title of the plan that comes before it; none where nothing is written. */
  plan?: string;
  writes: boolean;
  /** Whether its plan is what a device does as a whole, and not which values are written. */
  asWhole?: boolean;
  told: (run: Run) => string;
}

/** What came of steps on devices. */
export function toldOfSteps(run: Run): string {
  const { failed = 0, unknown = 0, unproven = 0, done = 0 } = run.counts;
  const [first] = run.failures;
  const more = failed + unknown - 1;
  if (first) return `${first.name}: ${first.message}${more ? ` And ${plural(more, "step")} more.` : ""}`;
  if (unproven) return `${plural(done + unproven, "step")} done, ${unproven} of them unproven: no reading can show it`;
  return `${plural(done, "step")} done, all read back`;
}
