import type { Schemas } from "../api/client";

export type GridForm = Schemas["Grid"];
export type Row = Schemas["GridRow"];
export type Column = Schemas["GridColumn"];
/** What rows and columns have in common. */
export type Place = Omit<Column, "state">;
export type States = Record<string, string>;

/** Whether a point tells that a thing is there; null where nobody knows. */
export function told(form: Schemas["Told"] | null, states: States): boolean | null {
  const state = form ? states[form.point] : undefined;
  if (!form || state === undefined) return null;
  return form.none_of.length ? !form.none_of.includes(state) : form.one_of.includes(state);
}

/** What keeps a signal from leaving there, in words; empty where nothing does. */
export const heldBack = (row: Place, states: States): string => row.stops.find((stop) => stop.states.includes(states[stop.point] ?? ""))?.why ?? "";

export const called = (one: Place): string => one.name || one.label;

/** What comes in at an input, in words. */
export function signal(column: Column, states: States): string {
  const there = told(column.present, states);
  if (there === null) return column.present ? "signal not known" : "";
  if (!there) return "no signal";
  const form = column.format ? states[column.format] : "";
  return [form || "signal", told(column.protected, states) && "copy-protected"].filter(Boolean).join(", ");
}

/** The lock that keeps a point from a state, or with no state given that keeps it as it is. */
export const lockOn = (locks: Schemas["Lock"][], device: string, point: string, state?: string): Schemas["Lock"] | undefined =>
  locks.find((lock) => lock.device === device && lock.point === point && (lock.state === "" || lock.state === state));

/** Where the cursor goes by a key; undefined for any other key. */
export function moved(at: [number, number], key: string, rows: number, columns: number): [number, number] | undefined {
  const [row, column] = at;
  const to: Record<string, [number, number]> = {
    ArrowUp: [row - 1, column],
    ArrowDown: [row + 1, column],
    ArrowLeft: [row, column - 1],
    ArrowRight: [row, column + 1],
    Home: [row, 0],
    End: [row, columns - 1],
    PageUp: [0, column],
    PageDown: [rows - 1, column],
  };
  const next = to[key];
  return next && [Math.min(Math.max(next[0], 0), rows - 1), Math.min(Math.max(next[1], 0), columns - 1)];
}

/** One input held for every output that may have it and has it not. */
export function toAll(grid: GridForm, state: string, states: States, locked: (point: string, state: string) => boolean): Record<string, string> {
  return Object.fromEntries(grid.rows.filter((row) => row.drive && states[row.point] !== state && !locked(row.point, state)).map((row) => [row.point, state]));
}

/** Side of a cell in px, so that a grid of usual size is seen as a whole. */
export const side = (columns: number): number => (columns <= 16 ? 26 : columns <= 32 ? 20 : 15);
