import clsx from "clsx";
import { useMemo, useState } from "react";
import type { Device } from "../api/client";
import type { Lens } from "../lenses/lens";
import { tells } from "../lenses/registry";
import { addressNumber, whatDiffers } from "../lib/knots";
import { place, select } from "../lib/place";
import { useStore } from "../lib/store";
import { ago, exact } from "../lib/words";
import { Button } from "../ui/Button";
import { INK, Mark } from "../ui/Mark";
import { Input } from "../ui/parts";

interface Column {
  name: string;
  value: (d: Device) => string;
  mono?: boolean;
  order?: (d: Device) => number;
}

const COLUMNS: Column[] = [
  { name: "Name", value: (d) => d.name },
  { name: "Model", value: (d) => d.model },
  { name: "Serial number", value: (d) => d.serial, mono: true },
  { name: "Line", value: (d) => d.addresses[0]?.line ?? "" },
  { name: "Address", value: (d) => d.addresses[0]?.address ?? "", mono: true, order: (d) => addressNumber(d.addresses[0]?.address ?? "0") },
  { name: "Planned", value: (d) => d.planned_address, mono: true, order: (d) => addressNumber(d.planned_address || "0") },
  { name: "Firmware", value: (d) => d.firmware, mono: true },
  { name: "Area", value: (d) => d.area },
  { name: "Differs", value: whatDiffers },
];

function csv(devices: Device[]): string {
  const cell = (text: string) => `"${(/^[=+\-@]/.test(text) ? `'${text}` : text).replaceAll('"', '""')}"`;
  const rows = [["State", ...COLUMNS.map((c) => c.name)], ...devices.map((d) => [d.state, ...COLUMNS.map((c) => c.value(d))])];
  return rows.map((row) => row.map(cell).join(",")).join("\r\n");
}

/** The same things as on the loom, as a dense table: sorted, filtered, exported. */
export function DeviceSheet({ devices, lens }: { devices: Device[]; lens: Lens }) {
  const [filter, setFilter] = useState("");
  const [sort, setSort] = useState({ column: 0, down: false });
  const selected = useStore(place, (p) => p.selected);
  const shown = useMemo(() => {
    const low = filter.toLowerCase();
    const column = COLUMNS[sort.column];
    const found = devices.filter((d) => !low || [d.state, ...COLUMNS.map((c) => c.value(d))].some((v) => v.toLowerCase().includes(low)));
    const sign = sort.down ? -1 : 1;
    return found.sort((a, b) => sign * (column.order ? column.order(a) - column.order(b) : column.value(a).localeCompare(column.value(b))));
  }, [devices, filter, sort]);
  const order = shown.map((d) => d.id);
  const url = useMemo(() => `data:text/csv;charset=utf-8,${encodeURIComponent(csv(shown))}`, [shown]);
  return (
    <section aria-label="Sheet" className="flex min-w-0 flex-1 flex-col p-3">
      <div className="mb-2 flex items-center gap-2">
        <Input aria-label="Filter" placeholder="Filter" value={filter} onChange={(e) => setFilter(e.target.value)} className="w-56" />
        <Button onClick={() => place.set({ selected: new Set(order) })}>Select {shown.length}</Button>
        <a href={url} download="netloom-devices.csv" className="text-[13px] text-indigo underline">
          Export as CSV
        </a>
      </div>
      <div className="min-h-0 flex-1 overflow-auto rounded-[3px] border border-weave bg-cloth">
        <table className="w-full text-[12.5px]">
          <thead className="sticky top-0 bg-cloth">
            <tr className="border-b border-warp text-left">
              <th className="w-6" aria-label="State" />
              {COLUMNS.map((column, index) => (
                <th key={column.name} aria-sort={sort.column === index ? (sort.down ? "descending" : "ascending") : undefined} className="px-2 py-1 font-semibold whitespace-nowrap">
                  <button type="button" onClick={() => setSort({ column: index, down: sort.column === index && !sort.down })}>
                    {column.name}
                    {sort.column === index && (sort.down ? " ↓" : " ↑")}
                  </button>
                </th>
              ))}
              <th className="px-2 font-semibold">State</th>
              <th className="px-2 font-semibold">Read</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((device) => {
              const { shape, tone, word } = tells(device, lens);
              return (
                <tr
                  key={device.id}
                  aria-selected={selected.has(device.id)}
                  onClick={(event) => select(device.id, event.shiftKey ? "extend" : event.ctrlKey || event.metaKey ? "toggle" : "only", order)}
                  className={clsx("border-b border-weave/70", selected.has(device.id) ? "bg-indigo-wash" : "hover:bg-weave/40")}
                >
                  <td className="pl-2">
                    <Mark shape={shape} tone={tone} size={14} />
                  </td>
                  {COLUMNS.map((column) => (
                    <td key={column.name} className={clsx("px-2 py-1 whitespace-nowrap", column.mono && "font-mono text-[12px]")}>
                      {column.value(device)}
                    </td>
                  ))}
                  <td className={clsx("px-2 whitespace-nowrap", INK[tone])}>{word}</td>
                  <td className="px-2 whitespace-nowrap text-soft" title={exact(device.read)}>
                    {ago(device.read)}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}
