import type { Device, Line } from "../api/client";
import { type Row, rowsOf } from "./knots";

export const WARPS = ["lines", "areas", "universes"] as const;
export type By = (typeof WARPS)[number];

/** A strand of the loom: a line, an area, or a universe. The same devices stand on each. */
export interface Warp {
  id: string;
  name: string;
  line?: Line;
  /** The area's name, empty for those in none. */
  area?: string;
  /** A universe of a network: the network's id and its number. */
  universe?: string;
}

export const NO_AREA = "In no area";

export const byLines = (lines: Line[]): Warp[] => lines.map((line) => ({ id: line.id, name: line.name, line }));

/** Areas that have devices, in their own order; at the end those that nobody gave one. */
export function byAreas(areas: { name: string }[], devices: Device[]): Warp[] {
  const used = new Set(devices.map((d) => d.area));
  const names = areas.map((area) => area.name).filter((name) => used.has(name));
  return [...names.map((name) => ({ id: `area ${name}`, name, area: name })), ...(used.has("") ? [{ id: "area", name: NO_AREA, area: "" }] : [])];
}

const universeOf = (d: Device): string | undefined => (d.universe === null || !d.addresses.length ? undefined : `${d.addresses[0].line_id}/${d.universe}`);

/** Universes in which somebody listens or is to listen, by network and number. */
export function byUniverses(lines: Line[], devices: Device[]): Warp[] {
  const used = new Set(devices.flatMap((d) => universeOf(d) ?? []));
  const networks = new Set([...used].map((one) => one.split("/")[0]));
  return lines.flatMap((line) =>
    [...used]
      .filter((one) => one.split("/")[0] === line.id)
      .map((one) => Number(one.split("/")[1]))
      .sort((a, b) => a - b)
      .map((n) => {
        const called = line.rules.universes?.find((rule) => rule.number === n)?.name;
        const name = [`Universe ${n}`, called, networks.size > 1 ? line.name : ""].filter(Boolean).join(" · ");
        return { id: `universe ${line.id}/${n}`, name, universe: `${line.id}/${n}` };
      }),
  );
}

/** Which strands there are. */
export function warpsBy(by: By, lines: Line[], areas: { name: string }[], devices: Device[]): Warp[] {
  const universes = by === "universes" ? byUniverses(lines, devices) : [];
  if (universes.length) return universes;
  return by === "areas" ? byAreas(areas, devices) : byLines(lines);
}

/** What the strands are after this one: universes only where somebody listens to any. */
export function nextWarp(by: By, devices: Device[]): By {
  const there = WARPS.filter((one) => one !== "universes" || devices.some((d) => universeOf(d) !== undefined));
  return there[(there.indexOf(by) + 1) % there.length];
}

/** Of lists of devices that are still the same: what stood on their strands. */
const laid = new WeakMap<Device[], Map<string, Row[]>>();

/** What stands on a strand from top to bottom: on a line in address order with the gaps, in a universe by start address, in an area by name. */
export function rowsIn(warp: Warp, devices: Device[], ghosts = false): Row[] {
  const known = laid.get(devices) ?? new Map<string, Row[]>();
  const key = ghosts ? `${warp.id} with ghosts` : warp.id;
  const rows = known.get(key) ?? laidOut(warp, devices, ghosts);
  laid.set(devices, known.set(key, rows));
  return rows;
}

function laidOut(warp: Warp, devices: Device[], ghosts: boolean): Row[] {
  if (warp.line) return rowsOf(warp.line, devices, ghosts);
  if (warp.universe !== undefined)
    return devices
      .filter((d) => universeOf(d) === warp.universe)
      .sort((a, b) => (a.slot ?? 0) - (b.slot ?? 0) || a.name.localeCompare(b.name, undefined, { numeric: true }))
      .map((device) => ({ kind: "knot", device, address: device.slot ? String(device.slot) : "", beside: device.addresses[0]?.address.split("#")[0] ?? "", shared: device.state === "duplicate" }));
  return devices
    .filter((d) => d.area === warp.area)
    .sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }))
    .map((device) => ({
      kind: "knot",
      device,
      address: device.addresses[0]?.address ?? "",
      beside: device.addresses[0]?.line ?? "on no line",
      shared: device.state === "duplicate",
    }));
}

/** An order with one laid onto another's place: behind it when it came from before it, else before it. Nothing where that changes nothing. */
export function carried(order: string[], one: string, to: string): string[] | undefined {
  const [from, at] = [order.indexOf(one), order.indexOf(to)];
  if (from < 0 || at < 0 || from === at) return undefined;
  const rest = order.filter((id) => id !== one);
  return [...rest.slice(0, at), one, ...rest.slice(at)];
}

const NOBODY: Device[] = [];

/** Strands from left to right, and in each the devices from top to bottom: what arrows walk. */
export const orderIn = (warps: Warp[], strands: ReadonlyMap<string, Device[]>): string[][] =>
  warps.map((warp) => rowsIn(warp, strands.get(warp.id) ?? NOBODY).flatMap((row) => (row.kind === "knot" ? [row.device.id] : [])));

/** Devices by strand, in one pass over them; a list that would be equal to the one before is that one. */
export function sortedOut(warps: Warp[], devices: Device[], before: ReadonlyMap<string, Device[]> = new Map()): Map<string, Device[]> {
  const places = new Map<string, Device[]>();
  const put = (key: string, device: Device) => {
    const those = places.get(key);
    if (!those) places.set(key, [device]);
    else if (those.at(-1) !== device) those.push(device);
  };
  for (const device of devices) {
    put(`area ${device.area}`, device);
    for (const at of device.addresses) put(`line ${at.line_id}`, device);
    const universe = universeOf(device);
    if (universe !== undefined) put(`universe ${universe}`, device);
  }
  return new Map(
    warps.map((warp) => {
      const now = places.get(warp.line ? `line ${warp.line.id}` : warp.universe !== undefined ? warp.id : `area ${warp.area}`) ?? NOBODY;
      const old = before.get(warp.id);
      return [warp.id, old && old.length === now.length && old.every((device, at) => device === now[at]) ? old : now];
    }),
  );
}
