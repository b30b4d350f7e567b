import type { Plan } from "../api/client";

export type Step = Plan["steps"][number];
export type Change = Step["changes"][number];

/** Devices that are to be told the same things in the same order; the values may differ. */
export interface Like {
  devices: { id: string; name: string; steps: Step[] }[];
  steps: { action: string; words: string; note: string; disturbs: string[]; unkept: string[]; rows: Merged[] }[];
}

/** A change of all of them, and which end of it differs from device to device. */
export interface Merged {
  path: string;
  label: string;
  from: unknown;
  to: unknown;
  varies: { from: boolean; to: boolean };
}

const FEW = 3; // so many are better shown each by itself

const sameGoal = (one: Change, other: Change): boolean => one.path === other.path && JSON.stringify(one.to) === JSON.stringify(other.to);

/** What is staged works with the restart after it: it is one change, shown where it comes first. */
const fresh = (steps: Step[], at: number): Change[] =>
  steps[at].changes.filter((change) => !steps.slice(0, at).some((step) => step.changes.some((one) => sameGoal(one, change))));

/** The plan in parts: what disturbs first, then in its own order; devices that are told alike are one part, where they are many. */
export function partsOf(plan: Plan): Like[] {
  const byDevice = new Map<string, Step[]>();
  for (const step of plan.steps) byDevice.set(step.device, [...(byDevice.get(step.device) ?? []), step]);
  const byShape = new Map<string, Like["devices"]>();
  for (const [id, steps] of byDevice) {
    const shape = JSON.stringify(steps.map((step, at) => [step.action, step.words, step.note, step.disturbs, step.unkept, fresh(steps, at).map((change) => [change.path, change.label])]));
    byShape.set(shape, [...(byShape.get(shape) ?? []), { id, name: steps[0].name, steps }]);
  }
  const parts = [...byShape.values()].flatMap((devices) => (devices.length > FEW ? [devices] : devices.map((one) => [one])));
  const order = [...byDevice.keys()];
  return parts
    .map((devices) => ({ devices, steps: merged(devices) }))
    .sort((a, b) => Number(disturbs(b)) - Number(disturbs(a)) || order.indexOf(a.devices[0].id) - order.indexOf(b.devices[0].id));
}

const disturbs = (part: Like): boolean => part.steps.some((step) => step.disturbs.length > 0);

function merged(devices: Like["devices"]): Like["steps"] {
  const [first] = devices;
  return first.steps.map((step, at) => ({
    action: step.action,
    words: step.words,
    note: step.note,
    disturbs: step.disturbs,
    unkept: step.unkept,
    rows: fresh(first.steps, at).map(({ path, label }) => {
      const all = devices.map((one) => one.steps[at].changes.find((change) => change.path === path)!);
      const [from, to] = [common(all.map((change) => change.from)), common(all.map((change) => change.to))];
      return { path, label: label ?? "", from: from?.value, to: to?.value, varies: { from: !from, to: !to } };
    }),
  }));
}

/** The one value of all; nothing where they differ. */
function common(values: unknown[]): { value: unknown } | undefined {
  const first = JSON.stringify(values[0]);
  return values.every((value) => JSON.stringify(value) === first) ? { value: values[0] } : undefined;
}
