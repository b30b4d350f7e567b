import type { Device } from "../api/client";
import type { Telling } from "./knots";

/** What is drawn at one place of a thin strand: one knot, or a run of ordinary ones. */
export interface Stroke {
  devices: Device[];
  telling: Telling;
  top: number;
  height: number;
}

export const KNOT = 17;
const LEAST = 3;

/**
 * Knots from top to bottom, so that all of them fit into so many pixels.
 *
 * Where there is room each is drawn by itself. Else runs of ordinary ones become one stroke each, as high as is left for
 * it; who has something to tell keeps a knot of their own, down to three pixels. `usual` is how high a knot is where
 * there is room.
 */
export function fitted(devices: Device[], tells: (device: Device) => Telling, height: number, usual = KNOT): Stroke[] {
  const each = devices.map((device) => ({ devices: [device], telling: tells(device) }));
  const groups = each.length * usual <= height ? each : joined(each);
  const telling = groups.filter((one) => one.devices.length === 1).length;
  const runs = groups.reduce((sum, one) => sum + (one.devices.length > 1 ? one.devices.length : 0), 0);
  const knot = Math.max(LEAST, Math.min(usual, telling ? (height * (runs ? 0.7 : 1)) / telling : usual));
  const rest = Math.max(0, height - knot * telling);
  let top = 0;
  return groups.map((one) => {
    const own = one.devices.length === 1 ? knot : Math.max(LEAST, Math.min((rest * one.devices.length) / runs, one.devices.length * usual));
    const stroke = { ...one, top, height: own };
    top += own;
    return stroke;
  });
}

type Group = Pick<Stroke, "devices" | "telling">;

function joined(each: Group[]): Group[] {
  const groups: Group[] = [];
  for (const one of each) {
    const last = groups[groups.length - 1];
    if (last && one.telling.ordinary && last.telling.ordinary && last.telling.word === one.telling.word) last.devices.push(...one.devices);
    else groups.push({ devices: [...one.devices], telling: one.telling });
  }
  return groups;
}
