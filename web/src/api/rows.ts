import type { Device, RunStep } from "./client";

/** The list with rows put in, replaced or taken out (null); in the order of names. */
export function withRows(devices: Device[], rows: ReadonlyMap<string, Device | null>): Device[] {
  const known = new Set(devices.map((device) => device.id));
  const kept = devices.flatMap((device) => (rows.has(device.id) ? (rows.get(device.id) ?? []) : device));
  const added = [...rows.values()].filter((row): row is Device => !!row && !known.has(row.id));
  const renamed = kept.some((device, index) => index > 0 && kept[index - 1].name > device.name);
  return added.length || renamed ? [...kept, ...added].sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0)) : kept;
}

/** The steps with what changed of some; those that are not among them are left out. */
export function withSteps(steps: RunStep[], fresh: RunStep[]): RunStep[] {
  const byOrdinal = new Map(fresh.map((step) => [step.ordinal, step]));
  return steps.map((step) => ({ ...step, ...byOrdinal.get(step.ordinal) }));
}
