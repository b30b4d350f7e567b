import type { Device, Line } from "../api/client";

export type Shape = "whole" | "open" | "dashed" | "twin" | "tail" | "asked" | "half";
export type Tone = "ink" | "indigo" | "madder" | "weld" | "woad" | "soft";

export interface Telling {
  shape: Shape;
  tone: Tone;
  word: string;
  /** Set where that is the ordinary state of a lens: its word needs no room beside a name. */
  ordinary?: boolean;
}

const BY_STATE: Record<string, Telling> = {
  known: { shape: "whole", tone: "ink", word: "known", ordinary: true },
  new: { shape: "open", tone: "indigo", word: "new" },
  moved: { shape: "tail", tone: "weld", word: "moved" },
  duplicate: { shape: "twin", tone: "madder", word: "two on one address" },
  unknown: { shape: "asked", tone: "weld", word: "unknown" },
  missing: { shape: "dashed", tone: "madder", word: "missing" },
  "not-looked": { shape: "dashed", tone: "weld", word: "not looked at" },
  planned: { shape: "dashed", tone: "soft", word: "planned" },
};

export function stateOf(device: Device): Telling {
  const telling = BY_STATE[device.state] ?? BY_STATE.unknown;
  const speed = device.addresses[0]?.speed;
  if (device.state === "moved" && speed) return { ...telling, word: `moved, at ${speed} baud` };
  return device.mode && device.state === "known" ? { shape: "half", tone: "weld", word: `in ${device.mode} mode` } : telling;
}

/** How many values differ in these ways, in words; empty where none does. */
export const counted = (device: Device, ...ways: (keyof Device["counts"])[]): string =>
  ways.flatMap((way) => (device.counts[way] ? [`${device.counts[way]} ${way}`] : [])).join(", ");

/** What differs on a device, in its own words: pending, unkept, drift, lost. */
export const whatDiffers = (device: Device): string => counted(device, "pending", "unkept", "drift", "lost");

export const drifted = (device: Device): Telling => ({ shape: "half", tone: "madder", word: counted(device, "drift", "lost") });

/** States that the Survey's filters offer, in the order of what is looked at first. */
export const STATES = ["new", "moved", "duplicate", "missing", "not-looked", "unknown", "planned"] as const;

/** Whether a unit was ever met there; some bear no serial number. */
export function isFitted(device: Device): boolean {
  return !!device.serial || !!device.seen;
}

/** Devices of one state; empty for all. */
export function inState(devices: Device[], state: string): Device[] {
  return state ? devices.filter((d) => d.state === state) : devices;
}

/** Of the UID of a unit behind a lighting node. */
const UID_DIGITS = 12;

/** Its place in the order of the wire. Who is behind a gateway (192.0.2.5#7) or a node (192.0.2.5#7ff000001234)
 * comes after it, IPv6 addresses last. */
export function addressNumber(address: string): number {
  if (/^\d+$/.test(address)) return Number(address);
  if (address.includes(":")) return Number.MAX_SAFE_INTEGER;
  const [host, unit] = address.split("#");
  const sum = host.split(".").reduce((total, part) => total * 256 + Number(part), 0);
  if (Number.isNaN(sum)) return 0;
  return unit?.length === UID_DIGITS ? sum + 0.5 + parseInt(unit, 16) / 2 ** 50 : sum + (Number(unit) + 1 || 0) / 1024;
}

/** The part of an address that differs on a line: the last number of an IP address, the end of a UID, else all of it. */
export function shortAddress(address: string): string {
  if (address.includes(":")) return `…${address.slice(-5)}`;
  const short = address.includes(".") ? `.${address.slice(address.lastIndexOf(".") + 1)}` : address;
  const unit = short.split("#")[1];
  return unit?.length === UID_DIGITS ? `#${unit.slice(-4)}` : short;
}

/** A knot; a ghost, which is where a device of the line is to be; or so many free places in between. */
export type Row =
  | { kind: "knot"; device: Device; address: string; beside: string; shared: boolean }
  | { kind: "ghost"; device: Device; address: string }
  | { kind: "gap"; free: number; key: string };

/** A line's devices from top to bottom in address order, with the gaps between them; with ghosts where a lens shows them. */
export function rowsOf(line: Line, devices: Device[], ghosts = false): Row[] {
  const here: { device: Device; address: string; ghost?: boolean }[] = devices
    .filter((d) => d.addresses.some((p) => p.line_id === line.id))
    .map((device) => ({ device, address: device.addresses.find((p) => p.line_id === line.id)!.address }));
  const times = new Map<string, number>();
  for (const { address } of here) times.set(address, (times.get(address) ?? 0) + 1);
  if (ghosts) here.push(...devices.flatMap((device) => (goes(device, line.id) ? [{ device, address: device.planned_address, ghost: true }] : [])));
  here.sort((a, b) => addressNumber(a.address) - addressNumber(b.address) || a.device.name.localeCompare(b.device.name));
  const rows: Row[] = [];
  here.forEach(({ device, address, ghost }, index) => {
    const before = here[index - 1]?.address;
    const free = before === undefined ? 0 : Math.floor(addressNumber(address)) - Math.floor(addressNumber(before)) - 1;
    if (free > 0) rows.push({ kind: "gap", free, key: `${before}-${address}` });
    rows.push(ghost ? { kind: "ghost", device, address } : { kind: "knot", device, address, beside: device.area, shared: (times.get(address) ?? 0) > 1 });
  });
  return rows;
}

/** Whether it is fitted on the line, and is to be elsewhere on it. */
function goes(device: Device, line: string): boolean {
  const at = device.addresses[0];
  return device.taken_in && isFitted(device) && at?.line_id === line && !!device.planned_address && device.planned_address !== at.address;
}

/** Where an arrow leads from a device; the same place where there is no further. */
export function walk(order: string[][], from: string, key: string): string {
  const column = order.findIndex((ids) => ids.includes(from));
  if (column < 0) return order.flat()[0] ?? "";
  const row = order[column].indexOf(from);
  if (key === "ArrowDown") return order[column][row + 1] ?? from;
  if (key === "ArrowUp") return order[column][row - 1] ?? from;
  if (key === "Home") return order[column][0];
  if (key === "End") return order[column].at(-1)!;
  const step = key === "ArrowRight" ? 1 : -1;
  for (let next = column + step; next >= 0 && next < order.length; next += step)
    if (order[next].length) return order[next][Math.min(row, order[next].length - 1)];
  return from;
}
