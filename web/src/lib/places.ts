import type { Device, Line, Schemas } from "../api/client";
import { addressNumber, isFitted } from "./knots";

export type Rules = Schemas["Rules"];
export type Zone = "range" | "reserved" | "pool" | "own" | "gateway" | "none" | "";

/** One place on a line: what it is kept for, who has it, who is to come. */
export interface Cell {
  address: string;
  zone: Zone;
  /** What it is kept for, in words; empty where nothing is said of it. */
  said: string;
  here: Device[];
  coming: Device[];
}

const BUS: Record<string, [number, number]> = { osdp: [0, 126], modbus: [1, 247] };
export const PAGE = 256;

const dotted = (whole: number): string => [whole / 2 ** 24, whole / 2 ** 16, whole / 256, whole].map((part) => Math.floor(part) % 256).join(".");

/** First and last place of a line as numbers; nothing for a line with one device at its end. */
export function bounds(line: Line): [number, number] | undefined {
  if (line.kind === "behind") return [0, 255];
  if (line.kind === "serial") return BUS[line.protocol];
  const [network, length] = line.network.split("/");
  const first = addressNumber(network);
  return [first, first + 2 ** (32 - Number(length)) - 1];
}

/** As it is written on that line. */
export const placeAt = (line: Line, n: number): string => (line.kind === "ip" ? dotted(n) : String(n));

const within = (span: { first: string; last: string }, n: number) => addressNumber(span.first) <= n && n <= addressNumber(span.last);
const both = (span: { first: string; last: string }) => (span.first === span.last ? span.first : `${span.first} to ${span.last}`);

export function zoneOf(line: Line, n: number, areas: ReadonlyMap<string, string>): { zone: Zone; said: string } {
  const rules: Rules = line.rules;
  const ends = bounds(line);
  if (line.kind === "ip" && ends && (n === ends[0] || n === ends[1])) return { zone: "none", said: n === ends[0] ? "the network's own address" : "the broadcast address" };
  const address = placeAt(line, n);
  if (address === line.source) return { zone: "own", said: "this computer" };
  if (rules.gateway && address === rules.gateway) return { zone: "gateway", said: "the line's gateway" };
  if (rules.pool && within(rules.pool, n)) return { zone: "pool", said: `in the dynamic pool, ${both(rules.pool)}` };
  const kept = rules.reserved?.find((span) => within(span, n));
  if (kept) return { zone: "reserved", said: `reserved${kept.why ? `: ${kept.why}` : ""}` };
  const range = rules.ranges?.find((span) => within(span, n));
  return range ? { zone: "range", said: `for ${whose(range, areas)}` } : { zone: "", said: "" };
}

export function whose(range: { kind?: string; area?: string }, areas: ReadonlyMap<string, string>): string {
  const area = range.area ? (areas.get(range.area) ?? "an area that is gone") : "";
  return [range.kind || "any device", area].filter(Boolean).join(" in ");
}

/** Up to 256 places of a line from `from` on, each with who is there and who is to come. */
export function cellsOf(line: Line, devices: Device[], from: number, areas: ReadonlyMap<string, string>): Cell[] {
  const ends = bounds(line);
  if (!ends) return [];
  const here = new Map<number, Device[]>();
  const coming = new Map<number, Device[]>();
  const put = (into: Map<number, Device[]>, address: string, device: Device) => {
    const n = Math.floor(addressNumber(address));
    into.set(n, [...(into.get(n) ?? []), device]);
  };
  for (const device of devices) {
    const at = device.addresses.find((place) => place.line_id === line.id);
    if (!at || at.address.includes("#")) continue;
    const there = isFitted(device) && device.state !== "planned";
    if (there) put(here, at.address, device);
    const to = goesTo(device, line.id);
    if (to) put(coming, to, device);
  }
  return Array.from({ length: Math.min(PAGE, ends[1] - from + 1) }, (_, at) => {
    const n = from + at;
    return { address: placeAt(line, n), ...zoneOf(line, n, areas), here: here.get(n) ?? [], coming: coming.get(n) ?? [] };
  });
}

/** Where a device of the installation is to be on its own line, where it is not there yet; else empty. */
export function goesTo(device: Device, line: string): string {
  const at = device.addresses[0];
  if (!device.taken_in || at?.line_id !== line || !device.planned_address) return "";
  return device.planned_address !== at.address || !isFitted(device) ? device.planned_address : "";
}

/** The next place up or down that nobody has or is to have, and that no rule keeps; the same where there is none. */
export function stepped(line: Line, devices: Device[], address: string, by: 1 | -1): string {
  const ends = bounds(line);
  if (!ends) return address;
  const busy = new Set(devices.flatMap((d) => [d.addresses.find((p) => p.line_id === line.id)?.address ?? "", goesTo(d, line.id)]));
  for (let n = Math.floor(addressNumber(address)) + by; n >= ends[0] && n <= ends[1]; n += by) {
    const { zone } = zoneOf(line, n, new Map());
    if ((zone === "" || zone === "range") && !busy.has(placeAt(line, n))) return placeAt(line, n);
  }
  return address;
}
