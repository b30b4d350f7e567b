import { useState } from "react";
import { api, type Device, got, type Line } from "../api/client";
import { useChange } from "../api/work";
import { type Row, shortAddress } from "../lib/knots";
import { stepped } from "../lib/places";

/** What is carried when a knot is dragged to another place on its strand. */
export const CARRIED_DEVICE = "application/x-netloom-device";

interface GhostProps {
  row: Extract<Row, { kind: "ghost" }>;
  pick: (event: React.MouseEvent, id: string) => void;
}

/** Where a device is to be: it is not there yet. A press selects the device itself. */
export function Ghost({ row, pick }: GhostProps) {
  return (
    <div
      role="presentation"
      title={`${row.device.name} is to be at ${row.address}`}
      onClick={(event) => pick(event, row.device.id)}
      className="grid h-full cursor-pointer grid-cols-[46px_16px_1fr] items-center gap-x-1.5 rounded-[3px] pr-1.5 hover:bg-weave/50"
    >
      <span className="text-right font-mono text-[12.5px] text-weld">{shortAddress(row.address)}</span>
      <span className="relative z-10 grid place-items-center">
        <span aria-hidden className="size-2.5 rotate-45 border border-dashed border-weld bg-ground" />
      </span>
      <span className="truncate pl-1 text-[12.5px] text-weld italic">{row.device.name} comes here</span>
    </div>
  );
}

type GapRow = Extract<Row, { kind: "gap" }>;

/** Free places between two knots; under a lens that plans places a knot can be let go there. */
export function Gap({ row, line, devices, takes }: { row: GapRow; line?: Line; devices: Device[]; takes: boolean }) {
  if (takes && line) return <Taking row={row} line={line} devices={devices} />;
  return <p className="pl-[74px] text-[11px] leading-[17px] text-soft">{row.free} free</p>;
}

/** A knot that is let go here is planned for the first of the places. */
function Taking({ row, line, devices }: { row: GapRow; line: Line; devices: Device[] }) {
  const [over, setOver] = useState(false);
  const plan = useChange((assignments: { device: string; address: string }[]) => got(api.POST("/api/addresses", { body: { assignments } })));
  const first = stepped(line, devices, row.key.split("-")[0], 1);
  return (
    <p
      className={over ? "rounded-[3px] bg-indigo-wash pl-[74px] text-[11px] leading-[17px] text-indigo" : "pl-[74px] text-[11px] leading-[17px] text-soft"}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes(CARRIED_DEVICE)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        const device = event.dataTransfer.getData(CARRIED_DEVICE);
        if (!device) return;
        event.preventDefault();
        plan.mutate([{ device, address: first }]);
      }}
    >
      {over ? `let go: planned for ${shortAddress(first)}` : `${row.free} free`}
    </p>
  );
}

/** From where each is to where it is to be, along the strand. */
export function Ways({ rows, tops }: { rows: Row[]; tops: number[] }) {
  const from = new Map(rows.flatMap((row, at) => (row.kind === "knot" ? [[row.device.id, tops[at]] as const] : [])));
  const ways = rows.flatMap((row, at) => (row.kind === "ghost" && from.has(row.device.id) ? [{ id: row.device.id, from: from.get(row.device.id)!, to: tops[at] }] : []));
  if (!ways.length) return null;
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-y-0 left-0 h-full w-[60px] overflow-visible text-weld">
      {ways.map((way) => (
        <path key={way.id} d={`M 52 ${way.from} C 2 ${way.from}, 2 ${way.to}, 52 ${way.to}`} fill="none" stroke="currentColor" strokeWidth="1.3" strokeDasharray="4 3" />
      ))}
    </svg>
  );
}
