import clsx from "clsx";
import { ArrowDownToLine, Copy } from "lucide-react";
import { toast } from "sonner";
import type { Setting } from "../../api/client";
import { type PointColumn, pasted, type Sheet, valueOf } from "../../lib/grids";
import { plural, same, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { common, differing, OnIt, Tags } from "./OnIt";
import { type Live, PointNow } from "./PointNow";
import { Intended, useFound } from "./SettingRow";
import { VARIOUS } from "./editors/editor";
import { type CellAt, useDragFill } from "./useDragFill";

export interface Decision {
  path: string;
  value?: unknown;
  forget?: boolean;
}

interface Props {
  sheet: Sheet;
  /** Of each setting, the same one of all selected devices. */
  all: (setting: Setting) => Setting[];
  /** Settles with why it was refused, empty where it was taken. */
  decide: (decisions: Decision[]) => Promise<string>;
  /** What the places of its axis are called, as printed or as people named them. */
  called: { number: number; label: string }[];
  /** What of the same places is live or driven: a column for each kind of point, left of what is decided. */
  now?: { columns: PointColumn[]; points: Live };
}

/** What is counted: a row for each, a column for each of its settings; filled down, copied and pasted as a sheet. */
export function SettingSheet({ sheet, all, decide, called, now }: Props) {
  const labelOf = (row: Sheet["rows"][number]) => called.find((one) => one.number === row.number)?.label ?? row.label;
  const set = (path: string, value: unknown) => decide([{ path, value }]);
  const forget = (path: string) => decide([{ path, forget: true }]);

  /** Decides several at once: one edit, that is taken back as one. */
  function several(changes: { setting: Setting; value: unknown }[], done: string) {
    const wanted = changes.filter(({ setting, value }) => !setting.reserved && !same(common(all(setting), "intended"), value ?? null));
    if (!wanted.length) return;
    void decide(wanted.map(({ setting, value }) => (value === undefined ? { path: setting.path, forget: true } : { path: setting.path, value }))).then(
      (refused) => refused || toast(`${done}: ${plural(wanted.length, "value")} decided.`, { description: "Ctrl + Z, or the arrow above, takes it back." }),
    );
  }

  /** Gives others the value of one: what is decided for it, else what it has. */
  function fill(first: Setting, rest: Setting[], done: string) {
    const intended = common(all(first), "intended");
    const value = intended === null || intended === VARIOUS ? common(all(first), "running") : intended;
    if (value === VARIOUS || value === null) return;
    several(
      rest.filter((setting) => !same(common(all(setting), "running"), value) || common(all(setting), "intended") !== null).map((setting) => ({ setting, value })),
      done,
    );
  }

  function fillDown(column: number) {
    const [first, ...rest] = sheet.rows.flatMap((row) => row.cells[column] ?? []);
    fill(first, rest, `Filled ${sheet.columns[column]} down`);
  }

  const at = (cell: CellAt) => sheet.rows[cell.row]?.cells[cell.column];
  const drag = useDragFill(sheet.key !== sheet.axis, (from, cells) => {
    const first = at(from);
    if (first) fill(first, cells.flatMap((cell) => at(cell) ?? []), "Filled");
  });

  function paste(event: React.ClipboardEvent<HTMLTableElement>) {
    const text = event.clipboardData.getData("text/plain");
    if (!/[\t\n]/.test(text.trim())) return;
    const cell = (event.target as HTMLElement).closest<HTMLElement>("[data-row]");
    event.preventDefault();
    const [top, left] = cell ? [Number(cell.dataset.row), Number(cell.dataset.column)] : [0, 0];
    const words = pasted(text);
    const changes = words.flatMap((line, down) =>
      line.flatMap((word, across) => {
        const setting = sheet.rows[top + down]?.cells[left + across];
        return setting && word ? [{ setting, value: valueOf(setting, word) }] : [];
      }),
    );
    several(changes, "Pasted");
  }

  const copy = () => {
    const line = (cells: string[]) => cells.join("\t");
    const rows = sheet.rows.map((row) => line([labelOf(row), ...row.cells.map((setting) => (setting ? wordOf(setting, all(setting)) : ""))]));
    void navigator.clipboard?.writeText([line([sheet.title, ...sheet.columns]), ...rows].join("\n"));
    toast("Copied as a table: paste it into a spreadsheet, and back from there.");
  };

  return (
    <section aria-label={`${sheet.title}: settings`} className="mb-3 min-w-0">
      <div className="flex items-baseline justify-between">
        <h4 className="text-[12.5px] font-semibold">{sheet.title}</h4>
        <Button look="bare" aria-label={`Copy ${sheet.title} as a table`} title="Copy as a table" onClick={copy}>
          <Copy size={12} />
        </Button>
      </div>
      <div className="overflow-x-auto">
        <table className="min-w-full text-[12.5px]" onPaste={paste}>
          <thead>
            <tr className="text-left text-[12px] text-soft">
              <th />
              {now?.columns.map((column) => (
                <th key={column.item} className="pr-3 font-normal whitespace-nowrap">
                  {column.title}
                </th>
              ))}
              {sheet.columns.map((name, column) => (
                <th key={name} className="min-w-[104px] pr-1.5 font-normal whitespace-nowrap">
                  {name}
                  <button type="button" aria-label={`Fill ${name} down`} title={`Fill ${name} down from the first`} className="ml-1 align-middle opacity-50 hover:opacity-100" onClick={() => fillDown(column)}>
                    <ArrowDownToLine size={11} />
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sheet.rows.map((row, number) => (
              <tr key={row.label} className="border-t border-weave/80 align-top">
                <th scope="row" className="sticky left-0 z-[1] bg-cloth max-w-40 truncate py-1 pr-2 text-left font-normal whitespace-nowrap" title={row.label}>
                  {labelOf(row)}
                </th>
                {now?.columns.map((column) => (
                  <td key={column.item} className="py-0.5 pr-3">
                    {column.at[row.number] && (
                      <span data-point={column.at[row.number].short} className="flex min-h-7 items-center gap-1.5 whitespace-nowrap">
                        <PointNow point={column.at[row.number]} points={now.points} />
                      </span>
                    )}
                  </td>
                ))}
                {row.cells.map((setting, column) => (
                  <Cell key={setting?.path ?? column} row={number} column={column} setting={setting} all={setting ? all(setting) : []} set={set} forget={forget} drag={drag} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function wordOf(setting: Setting, all: Setting[]): string {
  const intended = common(all, "intended");
  const value = intended === null ? common(all, "running") : intended;
  return value === VARIOUS || value === null || value === "" ? "" : shown(value, { ...setting, unit: "" });
}

interface CellProps {
  row: number;
  column: number;
  setting: Setting | undefined;
  all: Setting[];
  set: (path: string, value: unknown) => Promise<string>;
  forget: (path: string) => Promise<string>;
  drag: ReturnType<typeof useDragFill>;
}

/** Types of which a value that is cut off would be read as another one. */
const WIDE = new Set(["ipv4", "netmask", "mac"]);

/** The value itself where nothing is decided and all agree; what differs stands below, by name. */
function Cell({ row, column, setting, all, set, forget, drag }: CellProps) {
  const found = useFound(setting?.path ?? "-");
  if (!setting) return <td />;
  const { pending, drift, unkept, unreadable } = differing(all);
  const odd = pending + drift + unkept + unreadable.length > 0;
  return (
    <td
      id={`setting-${setting.path}`}
      data-row={row}
      data-column={column}
      title={`${setting.label} · ${setting.path}`}
      className={clsx("group relative py-0.5 pr-1.5", WIDE.has(setting.type) ? "min-w-[142px]" : "min-w-[104px]", odd && "bg-weld-wash/50", (found || drag.covers(row, column)) && "outline-2 outline-indigo")}
    >
      <Intended setting={setting} all={all} set={set} forget={forget} />
      {!setting.reserved && (
        <span
          data-fill
          aria-hidden
          title="Drag over others to give them this value"
          className="absolute right-0.5 bottom-0 size-2 cursor-crosshair touch-none bg-indigo opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
          {...drag.handle({ row, column })}
        />
      )}
      {odd && (
        <span className="block text-[11.5px]">
          <Tags all={all} />
          <span className="block">
            {pending > 0 && <span className="text-soft">has </span>}
            <OnIt setting={setting} all={all} />
          </span>
        </span>
      )}
    </td>
  );
}
