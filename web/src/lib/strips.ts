import type { Schemas } from "../api/client";

export type Edge = Schemas["Edge"];

/** For how long a point was in one state, in seconds of Unix time; an empty state is that nobody could tell it. */
export interface Stretch {
  from: number;
  to: number;
  state: string;
  cause: string;
  /** Whether it began and ended within what is known: only then its length is. */
  whole: boolean;
}

export const keyOf = (one: { device: string; point: string }) => `${one.device} ${one.point}`;

/** Changes by point, each once and in order, of several lists that overlap. */
export function byPoint(...lists: Edge[][]): Map<string, Edge[]> {
  const found = new Map<string, Map<string, Edge>>();
  for (const edge of lists.flat()) {
    const those = found.get(keyOf(edge)) ?? new Map<string, Edge>();
    those.set(`${edge.time.toFixed(3)} ${edge.state}`, edge);
    found.set(keyOf(edge), those);
  }
  return new Map([...found].map(([key, those]) => [key, [...those.values()].sort((a, b) => a.time - b.time)]));
}

/** The stretches of one point between two times. */
export function stretches(edges: Edge[], from: number, to: number): Stretch[] {
  const found: Stretch[] = [];
  edges.forEach((edge, at) => {
    const next = edges[at + 1];
    const end = Math.min(next?.time ?? to, to);
    const start = Math.max(edge.time, from);
    if (end <= start && !(next === undefined && edge.time >= to)) return;
    if (end < from || start > to) return;
    found.push({ from: start, to: end, state: edge.state, cause: edge.cause, whole: at > 0 && edges[at - 1].state !== "" && next !== undefined && next.state !== "" });
  });
  return found;
}

/** How often it changed in that time, without gaps; how long it was last in another state than at rest. */
export function countOf(edges: Edge[], rest: string, from: number, to: number): { changes: number; pulse: number | undefined } {
  let changes = 0;
  let pulse: number | undefined;
  edges.forEach((edge, at) => {
    const before = edges[at - 1];
    if (!before || before.state === "" || edge.state === "") return;
    if (edge.time >= from && edge.time <= to) changes += 1;
    if (before.state !== rest && edge.state === rest && edge.time >= from) pulse = edge.time - before.time;
  });
  return { changes, pulse };
}

/** Where a state is drawn, 0 at the bottom to 1 at the top: words by their order, numbers by how large they are. */
export function heightOf(state: string, states: string[], numbers: [number, number] | undefined): number {
  if (states.length > 1) return Math.max(states.indexOf(state), 0) / (states.length - 1);
  if (!numbers) return 0;
  const [low, high] = numbers;
  return high === low ? 0.5 : (Number(state) - low) / (high - low);
}

/** The least and greatest of the numbers that it had. */
export function spanOf(those: Stretch[]): [number, number] | undefined {
  const numbers = those.map((one) => Number(one.state)).filter((n, at) => those[at].state !== "" && Number.isFinite(n));
  return numbers.length ? [Math.min(...numbers), Math.max(...numbers)] : undefined;
}

export function seconds(length: number): string {
  if (length < 1) return `${Math.round(length * 1000)} ms`;
  if (length < 100) return `${length.toFixed(length < 10 ? 2 : 1)} s`;
  return length < 7200 ? `${Math.round(length / 60)} min` : `${(length / 3600).toFixed(1)} h`;
}
