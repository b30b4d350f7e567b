import type { Device } from "../api/client";

/** Devices of the installation with values that run and would be gone at the next power cut, the most first. */
export const unkept = (devices: Device[]): Device[] =>
  devices.filter((d) => d.taken_in && d.counts.unkept > 0).sort((a, b) => b.counts.unkept - a.counts.unkept);

/** That in one sentence. */
export function notKept(devices: Device[]): string {
  const values = devices.reduce((sum, d) => sum + d.counts.unkept, 0);
  const on = devices.length === 1 ? devices[0].name : `${devices.length} devices`;
  return `${values} ${values === 1 ? "value" : "values"} on ${on} ${values === 1 ? "is" : "are"} not kept: a power cut would take ${values === 1 ? "it" : "them"} back.`;
}
