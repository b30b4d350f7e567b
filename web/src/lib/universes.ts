import type { Schemas } from "../api/client";

export type Fixture = Schemas["Fixture"];
export type Output = Schemas["Output"];
export type UniverseRules = Schemas["UniverseRules"];
export const LAST_SLOT = 512;

/** One slot of a universe: who listens there, who is to, and what it is kept for. */
export interface Slot {
  n: number;
  zone: "range" | "reserved" | "";
  said: string;
  here: Fixture[];
  coming: Fixture[];
  clash: boolean;
}

const together = (one: Fixture, other: Fixture) => !!one.shares && one.shares.toLowerCase() === other.shares.toLowerCase();
const meant = (one: Fixture, universe: number) => one.universe === universe && one.start > 0 && one.slots > 0;
/** Whether it listens where it is to. */
export const settled = (one: Fixture): boolean => one.heard === one.universe && one.at === one.start && one.takes === one.slots;

export function slotsOf(universe: number, rules: UniverseRules | undefined, fixtures: Fixture[]): Slot[] {
  const slots: Slot[] = Array.from({ length: LAST_SLOT }, (_, at) => ({ n: at + 1, ...zoneOf(rules, at + 1), here: [], coming: [], clash: false }));
  const fill = (from: number, many: number, put: (slot: Slot) => void) => {
    for (const slot of slots.slice(from - 1, from - 1 + many)) put(slot);
  };
  for (const one of fixtures) {
    if (one.heard === universe && one.at) fill(one.at, one.takes || 1, (slot) => slot.here.push(one));
    if (meant(one, universe) && !settled(one)) fill(one.start, one.slots, (slot) => slot.coming.push(one));
  }
  for (const slot of slots) {
    // Who is to be there in the end: those that come, and those that are there and stay.
    const those = [...slot.coming, ...slot.here.filter(settled)];
    slot.clash = those.some((one, at) => those.slice(at + 1).some((other) => other.device !== one.device && !together(one, other)));
  }
  return slots;
}

const within = (span: { first: string; last: string }, n: number) => Number(span.first) <= n && n <= Number(span.last);

function zoneOf(rules: UniverseRules | undefined, n: number): Pick<Slot, "zone" | "said"> {
  const kept = rules?.reserved?.find((span) => within(span, n));
  if (kept) return { zone: "reserved", said: `reserved${kept.why ? `: ${kept.why}` : ""}` };
  const range = rules?.ranges?.find((span) => within(span, n));
  return range ? { zone: "range", said: `for ${range.kind || "any fixture"}` } : { zone: "", said: "" };
}

export const span = (start: number, slots: number): string => (start ? (slots > 1 ? `${start} to ${Math.min(start + slots - 1, LAST_SLOT)}` : String(start)) : "–");
