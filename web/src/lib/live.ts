import type { Schemas } from "../api/client";
import { Store } from "./store";

export interface Sighted {
  run: string;
  line: string;
  address: string;
  method: string;
  facts: Record<string, string>;
}
export interface Points {
  device: string;
  states: Record<string, string>;
  trouble?: string;
}
type Progress = Record<string, Record<string, [number, number]>>;

interface Live {
  connected: boolean;
  run: string;
  going: boolean;
  /** The newest sightings of the sweep under way, oldest first; bounded. */
  sightings: Sighted[];
  /** By line and address: what the best sighting so far says of who answers. */
  answered: Record<string, Record<string, string>>;
  progress: Progress;
  /** How far plans under way are, in devices. */
  planning: Record<string, { done: number; total: number }>;
  /** By run: the step that began last. */
  acting: Record<string, { device: string; action: string }>;
  points: Record<string, Record<string, string>>;
  /** When a point was last told to be in another state than before (Unix time in ms), by device and point. */
  changed: Record<string, Record<string, number>>;
  /** Of numbers that only grow, how fast they did last, a second: by device and point. */
  rates: Record<string, Record<string, number>>;
  troubles: Record<string, string>;
  /** The newest changes of points that anybody looks at, oldest first; bounded. */
  edges: Schemas["Edge"][];
  /** What chatters now; undefined before it was told. */
  chatter: Schemas["Chatter"][] | undefined;
}

const GATHER_MS = 120; // between two looks of the screen at what came; the first thing is shown at once
const AT_ONCE_MS = 20;
const RATE_MS = 400; // of two readings that lie closer together the rate is nobody's
const KEPT = 400;
const EDGES_KEPT = 4000;

export function whoIs(facts: Record<string, string>): string {
  return [facts.model, facts.serial].filter(Boolean).join(" ") || facts.title || facts.banner || facts.host || "";
}

/** What streams in and is not worth a query: sightings of the sweep under way, its progress, live points. */
class LiveStore extends Store<Live> {
  connected(connected: boolean): void {
    if (this.get().connected !== connected) this.set({ connected });
  }

  private waiting: Sighted[] = [];
  private gathers = "";
  private gathered = 0;
  private ended = new Set<string>(); // runs
  private far: { run: string; lines: Progress } | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** Sightings come by the thousand, and so does how far a sweep is; the screen takes them in a few times a second. */
  sighted(one: Sighted): void {
    this.soon(one.run);
    this.waiting.push(one);
  }

  progressed(data: { run: string; lines: Progress }): void {
    this.soon(data.run);
    this.far = data;
  }

  private soon(run: string): void {
    if (this.gathers !== run) this.gather();
    this.gathers = run;
    this.timer ??= setTimeout(() => this.gather(), Math.max(AT_ONCE_MS, this.gathered + GATHER_MS - Date.now()));
  }

  gather(): void {
    clearTimeout(this.timer);
    this.timer = undefined;
    if (this.far || this.waiting.length) this.gathered = Date.now();
    this.taken();
    if (this.far) this.went(this.far);
    this.far = undefined;
  }

  private taken(): void {
    const fresh = this.waiting;
    this.waiting = [];
    const run = fresh.at(-1)?.run;
    if (!run) return;
    this.set((now) => {
      const same = now.run === run;
      const answered = { ...(same ? now.answered : {}) };
      const touched = new Set<string>();
      for (const one of fresh.filter((sighting) => sighting.run === run)) {
        if (!touched.has(one.line)) answered[one.line] = { ...answered[one.line] };
        touched.add(one.line);
        answered[one.line][one.address] = whoIs(one.facts) || answered[one.line][one.address] || "";
      }
      return {
        ...now,
        run,
        going: !this.ended.has(run),
        answered,
        sightings: [...(same ? now.sightings : []), ...fresh].slice(-KEPT),
        progress: same ? now.progress : {},
      };
    });
  }

  private went(data: { run: string; lines: Progress }): void {
    this.set((now) => ({
      ...now,
      run: data.run,
      going: !this.ended.has(data.run),
      progress: data.lines,
      sightings: now.run === data.run ? now.sightings : [],
      answered: now.run === data.run ? now.answered : {},
    }));
  }

  /** A sweep that ended, however it ended, does not go on, though its last sightings may come after the word of that. */
  ran({ run, state }: { run: string; state: string }): void {
    if (state === "running" || state === "waiting") return;
    this.ended.add(run);
    this.gather();
    if (run === this.get().run) this.set({ going: false });
  }

  planned(data: { plan: string; done: number; total: number }): void {
    this.set((now) => ({ ...now, planning: { [data.plan]: { done: data.done, total: data.total } } }));
  }

  stepped(run: string, step: { device: string; action: string; state: string }): void {
    if (step.state === "acting") this.set({ acting: { [run]: { device: step.device, action: step.action } } });
  }

  edged(edges: Schemas["Edge"][]): void {
    this.set((now) => ({ ...now, edges: [...now.edges, ...edges].slice(-EDGES_KEPT) }));
  }

  private counted: Record<string, { value: number; at: number }> = {};

  private grown(data: Points, at = Date.now()): Record<string, number> {
    const rates: Record<string, number> = {};
    for (const [point, state] of Object.entries(data.states)) {
      const value = Number(state);
      if (!/^\d+$/.test(state)) continue;
      const key = `${data.device} ${point}`;
      const last = this.counted[key];
      if (last && at - last.at < RATE_MS) continue;
      if (last && value >= last.value) rates[point] = ((value - last.value) * 1000) / (at - last.at);
      this.counted[key] = { value, at };
    }
    return rates;
  }

  pointed(data: Points): void {
    this.set((now) => ({
      ...now,
      points: { ...now.points, [data.device]: { ...now.points[data.device], ...data.states } },
      changed: { ...now.changed, [data.device]: { ...now.changed[data.device], ...changes(now.points[data.device] ?? {}, data.states) } },
      rates: { ...now.rates, [data.device]: { ...now.rates[data.device], ...this.grown(data) } },
      troubles: { ...now.troubles, [data.device]: data.trouble ?? "" },
    }));
  }
}

export const live = new LiveStore({
  connected: true,
  run: "",
  going: false,
  sightings: [],
  answered: {},
  progress: {},
  planning: {},
  acting: {},
  points: {},
  changed: {},
  rates: {},
  troubles: {},
  edges: [],
  chatter: undefined,
});

/** Share done, 0 to 1: that of the slowest method, since methods go side by side and it ends last. */
export function shareDone(progress: Progress): number {
  const shares = Object.values(progress).flatMap((methods) => Object.values(methods).map(([done, total]) => done / Math.max(total, 1)));
  return shares.length ? Math.min(...shares) : 0;
}

/** Seconds left by what went on so far; null while that tells nothing. */
export function secondsLeft(share: number, begun: string, now = Date.now()): number | null {
  if (share < 0.02 || share >= 1) return null;
  const gone = (now - Date.parse(begun)) / 1000;
  return Math.max(1, Math.round((gone * (1 - share)) / share));
}

/** Of states that came, when those changed that were known before. */
export function changes(before: Record<string, string>, now: Record<string, string>, at = Date.now()): Record<string, number> {
  return Object.fromEntries(Object.entries(now).flatMap(([point, state]) => (before[point] !== undefined && before[point] !== state ? [[point, at]] : [])));
}
