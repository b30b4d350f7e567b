import type { Device } from "../api/client";

/** The name that a pattern gives to one device; the server makes the same. */
export function namedBy(pattern: string, number: number, device: Device, area: string, many: boolean): string {
  const place = device.addresses[0];
  const values: Record<string, string> = {
    n: String(number),
    nn: String(number).padStart(2, "0"),
    model: device.model || "device",
    serial: device.serial || "no serial",
    address: place?.address ?? "",
    last: (place?.address ?? "").split(".").at(-1) ?? "",
    kind: device.kind || "device",
    area: area || device.area,
    line: place?.line ?? "",
  };
  const name = pattern.replace(/\{(\w+)\}/g, (whole, word: string) => values[word] ?? whole);
  return many && name === pattern ? `${name} ${number}` : name;
}
