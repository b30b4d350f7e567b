import type { Setting, WholeDevice } from "../api/client";

/** Settings of what is counted, as a sheet: a row for each place, a column for each setting (or for each place of a second axis). */
export interface Sheet {
  key: string;
  title: string;
  columns: string[];
  /** `number` is the place on the first axis. */
  rows: { label: string; number: number; cells: (Setting | undefined)[] }[];
  axis: string;
}

export type Part = { kind: "rows"; settings: Setting[] } | { kind: "sheet"; sheet: Sheet };

type Point = WholeDevice["points"][number];

/** Points of one kind, by their place on a sheet's axis. */
export interface PointColumn {
  item: string;
  title: string;
  at: Record<number, Point>;
}

/** What of a sheet's places is live or driven, a column for each kind; a crossed sheet has none. */
export function besides(sheet: Sheet, points: Point[]): PointColumn[] {
  if (sheet.key !== sheet.axis) return [];
  const found = new Map<string, PointColumn>();
  for (const point of points) {
    const axes = Object.keys(point.place);
    if (axes.length !== 1 || axes[0] !== sheet.axis) continue;
    const number = point.place[sheet.axis];
    if (!sheet.rows.some((row) => row.number === number)) continue;
    const column = found.get(point.item) ?? { item: point.item, title: titleOf(point, number, sheet), at: {} };
    column.at[number] = point;
    found.set(point.item, column);
  }
  return [...found.values()];
}

function titleOf(point: Point, number: number, sheet: Sheet): string {
  const title = capital(nowOf(point, number));
  return sheet.columns.includes(title) ? `${title} now` : title;
}

/** "Output 3 blanked" is called "blanked"; what is only "Relay 3", or bears a person's name, is what it is now. */
function nowOf(point: Point, number: number): string {
  const found = new RegExp(`^.*?\\b${number}\\b\\s*(?::.*)?(.*)$`).exec(point.label);
  return found?.[1].replace(/:.*$/, "").trim() || "now";
}

/** Editors that are too large for a cell. */
const LARGE = new Set(["curve", "bytes"]);

/** In the profile's order: single settings one below the other, counted ones as sheets. */
export function partsOf(settings: Setting[]): Part[] {
  const parts: Part[] = [];
  const sheets = new Map<string, Setting[]>();
  for (const setting of settings) {
    const key = sheetKey(setting);
    if (!key) {
      const last = parts[parts.length - 1];
      if (last?.kind === "rows") last.settings.push(setting);
      else parts.push({ kind: "rows", settings: [setting] });
      continue;
    }
    const known = sheets.get(key);
    if (known) known.push(setting);
    else {
      sheets.set(key, [setting]);
      parts.push({ kind: "sheet", sheet: { key, title: "", columns: [], rows: [], axis: "" } });
    }
  }
  return parts.flatMap((part): Part[] => {
    if (part.kind === "rows") return [part];
    const own = sheets.get(part.sheet.key)!;
    const made = axesOf(own[0]).length === 2 ? crossed(part.sheet.key, own) : counted(part.sheet.key, own);
    return made.rows.length > 1 ? [{ kind: "sheet", sheet: made }] : [{ kind: "rows", settings: own }];
  });
}

const cells = (row: Sheet["rows"][number]): number => row.cells.filter(Boolean).length;

/** The first so many settings of these parts, in their order, and how many are left: thousands are not drawn at once. */
export function firstOf(parts: Part[], most: number): { shown: Part[]; left: number } {
  const shown: Part[] = [];
  let room = most;
  let left = 0;
  for (const part of parts) {
    if (part.kind === "rows") {
      const those = part.settings.slice(0, Math.max(room, 0));
      if (those.length) shown.push({ kind: "rows", settings: those });
      room -= those.length;
      left += part.settings.length - those.length;
      continue;
    }
    const rows: Sheet["rows"] = [];
    for (const row of part.sheet.rows) {
      if (room > 0) rows.push(row);
      else left += cells(row);
      room -= room > 0 ? cells(row) : 0;
    }
    if (rows.length) shown.push({ kind: "sheet", sheet: rows.length === part.sheet.rows.length ? part.sheet : { ...part.sheet, rows } });
  }
  return { shown, left };
}

/** The place of a setting among all that are drawn, counted from 1; 0 where it is not among them. */
export function placeOf(parts: Part[], path: string): number {
  let count = 0;
  for (const part of parts) {
    const all = part.kind === "rows" ? part.settings : part.sheet.rows.flatMap((row) => row.cells.filter((one) => one !== undefined));
    for (const setting of all) {
      count += 1;
      if (setting.path === path) return count;
    }
  }
  return 0;
}

function axesOf(setting: Setting): string[] {
  return Object.keys(setting.place);
}

function sheetKey(setting: Setting): string {
  const axes = axesOf(setting);
  if (LARGE.has(setting.editor) || axes.length === 0 || axes.length > 2) return "";
  return axes.length === 1 ? axes[0] : setting.item;
}

function counted(key: string, settings: Setting[]): Sheet {
  const items = [...new Set(settings.map((s) => s.item))];
  const numbers = [...new Set(settings.map((s) => s.place[key]))].sort((a, b) => a - b);
  const at = new Map(settings.map((s) => [`${s.item} ${s.place[key]}`, s]));
  const first = settings[0];
  return {
    key,
    axis: key,
    title: split(first, first.place[key])[0].replace(/\s*\d+$/, "") || key,
    columns: items.map((item) => capital(split(settings.find((s) => s.item === item)!, settings.find((s) => s.item === item)!.place[key])[1])),
    rows: numbers.map((n) => ({ number: n, label: split(settings.find((s) => s.place[key] === n)!, n)[0], cells: items.map((item) => at.get(`${item} ${n}`)) })),
  };
}

function crossed(key: string, settings: Setting[]): Sheet {
  const [down, across] = axesOf(settings[0]);
  const rows = [...new Set(settings.map((s) => s.place[down]))].sort((a, b) => a - b);
  const columns = [...new Set(settings.map((s) => s.place[across]))].sort((a, b) => a - b);
  const at = new Map(settings.map((s) => [`${s.place[down]} ${s.place[across]}`, s]));
  const [head, rest] = split(settings[0], settings[0].place[down]);
  return {
    key,
    axis: down,
    title: capital(`${head.replace(/\s*\d+$/, "")} ${rest.replace(/\s*\b\d+\b\s*/, " ")}`.trim()),
    columns: columns.map(String),
    rows: rows.map((n) => ({ number: n, label: `${head.replace(/\s*\d+$/, "")} ${n}`, cells: columns.map((m) => at.get(`${n} ${m}`)) })),
  };
}

/** "Relay 3 idle state" as ["Relay 3", "idle state"]; a label without its number stands for all of it. */
function split(setting: Setting, number: number): [string, string] {
  const found = new RegExp(`^(.*?\\b${number}\\b)\\s*(.*)$`).exec(setting.label);
  return found ? [found[1], found[2] || "value"] : [String(number), setting.label];
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** What somebody pasted, as rows of cells: tabs between columns, line ends between rows. */
export function pasted(text: string): string[][] {
  return text
    .replace(/\r/g, "")
    .replace(/\n$/, "")
    .split("\n")
    .map((line) => line.split("\t").map((cell) => cell.trim()));
}

/** A pasted word as a value of the setting: an option by its label too. Empty is nothing decided. */
export function valueOf(setting: Setting, word: string): unknown {
  if (word === "") return undefined;
  const low = word.toLowerCase();
  if (setting.type === "boolean") return ["yes", "true", "1", "on"].includes(low) ? true : ["no", "false", "0", "off"].includes(low) ? false : word;
  const option = setting.limits.options?.find((one) => one.label.toLowerCase() === low || String(one.value).toLowerCase() === low);
  if (option) return option.value;
  if (setting.type === "list") return word.split(",").map((one) => one.trim());
  return setting.unit && low.endsWith(setting.unit.toLowerCase()) ? word.slice(0, -setting.unit.length).trim() : word;
}
