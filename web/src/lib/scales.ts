import type { Setting } from "../api/client";

type Scale = Setting["shown"][number];

/** A number in the other scales that its profile names: "= 0.775 V = 2.5 ft". */
export function scaled(value: number, scales: Scale[]): string {
  if (!Number.isFinite(value)) return "";
  return scales.map((scale) => `= ${inScale(value, scale).toFixed(scale.places)} ${scale.unit}`).join(" ");
}

export function inScale(value: number, scale: Scale): number {
  return scale.decibels ? scale.reference * 10 ** (value / 20) : value * scale.factor + scale.offset;
}
