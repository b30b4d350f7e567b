import type { Device, Line } from "../api/client";

/** How well a word fits: 0 not at all, more the better. */
function fit(value: string, low: string, weight: number): number {
  const text = value.toLowerCase();
  if (!text) return 0;
  if (text === low) return weight + 60;
  if (text.startsWith(low)) return weight + 40;
  if (text.split(/[\s·_-]+/).some((word) => word.startsWith(low))) return weight + 25;
  return text.includes(low) ? weight : 0;
}

/** Devices by name, address, serial number, model or area, best first; all in their order for no word. */
export function devicesNamed(devices: Device[], text: string): Device[] {
  const low = text.trim().toLowerCase();
  if (!low) return devices;
  const ranked = devices.map((device) => ({
    device,
    rank: Math.max(
      fit(device.name, low, 30),
      fit(device.serial, low, 28),
      ...device.addresses.map((p) => fit(p.address, low, 26)),
      fit(device.model, low, 12),
      fit(device.area, low, 2),
    ),
  }));
  return ranked
    .filter((one) => one.rank > 0)
    .sort((a, b) => b.rank - a.rank)
    .map((one) => one.device);
}

/** Areas with their devices. */
export function areasNamed(devices: Device[], text: string): { area: string; those: Device[] }[] {
  const low = text.trim().toLowerCase();
  if (!low) return [];
  const found = new Map<string, Device[]>();
  for (const device of devices) if (device.area && fit(device.area, low, 1)) found.set(device.area, [...(found.get(device.area) ?? []), device]);
  return [...found].map(([area, those]) => ({ area, those }));
}

export function linesNamed(lines: Line[], text: string): Line[] {
  const low = text.trim().toLowerCase();
  return low ? lines.filter((line) => fit(line.name, low, 1) || fit(line.network, low, 1) || fit(line.path.split("/").at(-1) ?? "", low, 1)) : [];
}
