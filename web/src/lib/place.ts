import { type By, WARPS } from "./warp";
import { Store } from "./store";

export const DENSITIES = ["rows", "lines", "site"] as const;
export type Density = (typeof DENSITIES)[number];

interface Place {
  cursor: string;
  anchor: string;
  selected: ReadonlySet<string>;
  /** What was selected when the anchor was set: a span from it is added to that, and shrinks again. */
  base: ReadonlySet<string>;
  density: Density;
  /** What the strands of the loom are. */
  by: By;
  /** Strands that are folded to a strip, by their id. */
  folded: ReadonlySet<string>;
  sheet: boolean;
  panel: "" | "find" | "keys" | "actions" | "line" | "plan-device" | "areas" | "archived" | "expected" | "console" | "codes";
  /** The line that the bench shows under Survey while no device is selected. */
  line: string;
  /** Only knots in this state are shown; empty for all. */
  only: string;
  /** Only knots of which something is left to do under the lens are shown. */
  todo: boolean;
  /** Whether knots show the live states of their points. */
  lit: boolean;
  /** The setting that the bench brings into view under Configure, when it was found by its name. */
  setting: string;
  /** What the console panel is opened to: a device, else a line. */
  console: { device?: string; line?: string } | null;
  /** Where there is room for one place only: whether that is the bench. */
  onBench: boolean;
  trayOpen: boolean;
  trayRun: string;
  asked: import("../api/client").Work | null;
  benchWidth: number;
}

function rememberedDensity(): Density {
  const kept = localStorage.getItem("netloom.density");
  return DENSITIES.find((one) => one === kept) ?? "rows";
}

const remembered = Number(localStorage.getItem("netloom.bench"));

/** Where the person is: selection, density, what is open. Kept when the lens changes. */
export const place = new Store<Place>({
  cursor: "",
  anchor: "",
  selected: new Set(),
  base: new Set(),
  density: rememberedDensity(),
  by: WARPS.find((one) => one === localStorage.getItem("netloom.by")) ?? "lines",
  folded: new Set(localStorage.getItem("netloom.folded")?.split("\n")),
  sheet: false,
  panel: "",
  line: "",
  only: "",
  todo: false,
  lit: localStorage.getItem("netloom.lit") === "yes",
  setting: "",
  console: null,
  onBench: false,
  trayOpen: false,
  trayRun: "",
  asked: null,
  // What is counted has many columns: on a large screen the bench has more of it, while nobody chose another width.
  benchWidth: remembered >= 340 ? remembered : Math.round(Math.min(820, Math.max(520, (globalThis.innerWidth || 0) * 0.4))),
});

export function select(id: string, how: "only" | "toggle" | "extend", order: string[] = []): void {
  place.set((now) => {
    if (how === "toggle") {
      const selected = new Set(now.selected);
      if (!selected.delete(id)) selected.add(id);
      return { ...now, cursor: id, anchor: id, selected, base: selected };
    }
    if (how === "extend") {
      const from = order.indexOf(now.anchor || now.cursor);
      const to = order.indexOf(id);
      if (from >= 0 && to >= 0) {
        const span = order.slice(Math.min(from, to), Math.max(from, to) + 1);
        const base = now.anchor ? now.base : now.selected;
        return { ...now, cursor: id, anchor: order[from], base, selected: new Set([...base, ...span]) };
      }
    }
    return { ...now, cursor: id, anchor: id, selected: new Set([id]), base: new Set() };
  });
}

export function nextDensity(): void {
  place.set((now) => {
    const density = DENSITIES[(DENSITIES.indexOf(now.density) + 1) % DENSITIES.length];
    localStorage.setItem("netloom.density", density);
    return { ...now, density };
  });
}

/** The same knots on another warp. */
export function weaveBy(by: Place["by"]): void {
  localStorage.setItem("netloom.by", by);
  place.set({ by });
}

/** Folds a strand to a strip, or spreads it out again. */
export function fold(strand: string): void {
  const folded = new Set(place.get().folded);
  if (!folded.delete(strand)) folded.add(strand);
  localStorage.setItem("netloom.folded", [...folded].join("\n"));
  place.set({ folded, cursor: "" });
}

/** Shows a line on the bench. */
export const openLine = (line: string): void => place.set({ line, selected: new Set(), cursor: "" });
export const openConsole = (to: Place["console"]): void => place.set({ console: to, panel: "console" });
export const openPanel = (panel: Place["panel"]): void => place.set({ panel });
export const ask = (asked: Place["asked"]): void => place.set({ asked });
