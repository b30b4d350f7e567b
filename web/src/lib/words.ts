import type { Line, Setting } from "../api/client";

/** How long ago, in a few characters; the exact time goes in a title beside it. */
export function ago(iso: string | null | undefined, now = Date.now()): string {
  if (!iso) return "never";
  const seconds = Math.max(0, (now - Date.parse(iso)) / 1000);
  if (seconds < 5) return "just now";
  if (seconds < 60) return `${Math.floor(seconds)} s ago`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ago`;
  if (seconds < 86400) return `${Math.floor(seconds / 3600)} h ago`;
  return `${Math.floor(seconds / 86400)} d ago`;
}

export function exact(iso: string | null | undefined): string {
  return iso ? new Date(iso).toLocaleString() : "";
}

export function plural(n: number, word: string, many = `${word}s`): string {
  return `${n} ${n === 1 ? word : many}`;
}

const UNITS = ["bytes", "KB", "MB", "GB"];

/** So many bytes, as people read it. */
export function size(bytes: number): string {
  const step = Math.min(Math.floor(Math.log10(Math.max(bytes, 1)) / 3), UNITS.length - 1);
  return `${(bytes / 1000 ** step).toFixed(step ? 1 : 0)} ${UNITS[step]}`;
}

/** Whether two values are the same, lists and curves by what is in them. */
export function same(a: unknown, b: unknown): boolean {
  return a === b || (typeof a === "object" && JSON.stringify(a) === JSON.stringify(b));
}

/** A value as people read it: an option by its label, nothing as a dash. */
export function shown(value: unknown, setting?: Pick<Setting, "limits" | "unit">): string {
  if (value === null || value === undefined) return "–";
  const option = setting?.limits.options?.find((one) => one.value === value);
  if (option) return option.label;
  if (Array.isArray(value)) return value.some(Array.isArray) ? `${value.length} points` : value.join(", ");
  const text = value === "" ? "empty" : String(value);
  return setting?.unit ? `${text} ${setting.unit}` : text;
}

/** What the device said of a value after it was written; where it said nothing, why. */
export const readBack = (change: { read_back?: unknown; untold?: string }): string => (change.untold ? `not read back: ${change.untold}` : `read back ${shown(change.read_back)}`);

/** Names of things in a row: "a, b and c". */
export function listed(words: string[]): string {
  if (words.length < 2) return words.join("");
  return `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}

export function needsAre(types: string[]): string {
  const nouns: Record<string, string> = {
    picture: "the picture",
    sound: "the sound",
    door: "a door",
    link: "the link to the device",
    relay: "what the relays switch",
  };
  return listed(types.map((type) => nouns[type] ?? type));
}

const SERIAL: Record<string, string> = { osdp: "RS-485, OSDP", modbus: "RS-485, Modbus", dialogue: "Serial, one device" };

/** What kind of line it is, in the trade's words. */
export function kindOf(line: Pick<Line, "kind" | "protocol" | "parent_name">): string {
  if (line.kind === "ip") return "IP network";
  if (line.kind === "behind") return `Behind ${line.parent_name}`;
  return SERIAL[line.protocol] ?? "Serial line";
}

/** Where the line is: its network, or its port. */
export function whereOf(line: Pick<Line, "kind" | "network" | "path" | "speed" | "parity">): string {
  if (line.kind === "ip") return line.network;
  const framing = line.parity === "N" ? "" : ` 8${line.parity}1`;
  return line.kind === "behind" ? "" : `${line.path.split("/").at(-1)} · ${line.speed}${framing}`;
}
