import { useVirtualizer } from "@tanstack/react-virtual";
import clsx from "clsx";
import { memo, useCallback, useMemo, useRef } from "react";
import type { Device, Line } from "../api/client";
import type { Lens } from "../lenses/lens";
import { type Row, shortAddress } from "../lib/knots";
import { live } from "../lib/live";
import { openLine, place, select } from "../lib/place";
import { useStore } from "../lib/store";
import { rowsIn, type Warp } from "../lib/warp";
import { ago, exact, kindOf, plural, whereOf } from "../lib/words";
import { Mark } from "../ui/Mark";
import { Bar } from "../ui/parts";
import { Knot } from "./Knot";

interface Props {
  warp: Warp;
  devices: Device[];
  lens: Lens;
  order: string[];
  /** How far its sweep has come, 0 to 1; 1 when none goes on. */
  share: number;
}

const HEIGHT = { rows: 46, lines: 26 };
const WIDTH = { rows: "min-w-[236px]", lines: "min-w-[200px]" };
const GAP = 17;
const ARRIVALS_SHOWN = 60;

/** One line or area: its head, and its knots along the warp. */
export const Strand = memo(function Strand({ warp, devices, lens, order, share }: Props) {
  const density = useStore(place, (p) => (p.density === "rows" ? "rows" : "lines"));
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => rowsIn(warp, devices), [warp, devices]);
  const mine = useMemo(() => new Set(rows.flatMap((row) => (row.kind === "knot" ? [row.device.id] : []))), [rows]);
  // A step on one strand is no reason to draw the others again.
  const cursor = useStore(place, (p) => (mine.has(p.cursor) ? p.cursor : ""));
  const selected = useStore(place, (p) => touching(p.selected, mine));
  const answered = useAnswered(warp.id);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: (index) => (rows[index].kind === "gap" ? GAP : HEIGHT[density]),
    getItemKey: (index) => keyOf(rows[index]),
    overscan: 12,
  });
  const knots = rows.filter((row) => row.kind === "knot");
  const pick = useCallback(
    (event: React.MouseEvent, id: string) => select(id, event.shiftKey ? "extend" : event.ctrlKey || event.metaKey ? "toggle" : "only", order),
    [order],
  );
  return (
    <div className={clsx("flex min-h-0 w-full max-w-[460px] flex-1 flex-col", WIDTH[density])}>
      {warp.line ? <StrandHead line={warp.line} share={share} count={knots.length} /> : <AreaHead name={warp.name} devices={knots.map((row) => row.device)} lens={lens} />}
      <div
        ref={scroll}
        role="listbox"
        aria-multiselectable
        aria-label={`Devices ${warp.line ? "on" : "in"} ${warp.name}`}
        tabIndex={0}
        aria-activedescendant={knots.some((row) => row.device.id === cursor) ? `knot-${cursor}` : undefined}
        className="relative min-h-0 flex-1 overflow-auto rounded-b-[3px]"
      >
        {!knots.length && warp.line && (
          <p className="px-3 py-4 text-[13px] text-soft">Nobody is known on this line yet. A sweep looks along it.</p>
        )}
          <div className="relative" role="presentation" style={{ height: virtual.getTotalSize() }}>
            <div aria-hidden className="absolute inset-y-0 left-[59px] w-[2px] bg-warp/60" />
            {virtual.getVirtualItems().map((item) => {
              const row = rows[item.index];
              return (
                <div
                  key={item.key}
                  role="presentation"
                  className="absolute inset-x-0"
                  style={{ height: item.size, transform: `translateY(${item.start}px)` }}
                >
                  {row.kind === "gap" ? (
                    <p className="pl-[74px] text-[11px] leading-[17px] text-soft">{row.free} free</p>
                  ) : (
                    <Knot row={row} lens={lens} lines={density === "rows" ? 2 : 1} chosen={selected.has(row.device.id)} at={cursor === row.device.id} answers={row.address in answered} pick={pick} />
                  )}
                </div>
              );
            })}
          </div>
        {warp.line && <Arrivals line={warp.line} devices={devices} />}
      </div>
    </div>
  );
});

const NOTHING: ReadonlySet<string> = new Set();

/** The selection where any of it is here; else always the same empty one. */
function touching(selected: ReadonlySet<string>, mine: ReadonlySet<string>): ReadonlySet<string> {
  for (const id of selected) if (mine.has(id)) return selected;
  return NOTHING;
}

const NOBODY: Record<string, string> = {};

/** Addresses of a line that have answered the sweep under way, with who they say they are. */
function useAnswered(line: string): Record<string, string> {
  return useStore(live, (l) => (l.going ? (l.answered[line] ?? NOBODY) : NOBODY));
}

/** Who answers the sweep under way and has no knot yet; below the knots, so that nothing jumps. */
function Arrivals({ line, devices }: { line: Line; devices: Device[] }) {
  const answered = useAnswered(line.id);
  const taken = useMemo(
    () => new Set(devices.flatMap((d) => d.addresses.filter((p) => p.line_id === line.id).map((p) => p.address))),
    [devices, line.id],
  );
  const arrived = Object.entries(answered).filter(([address]) => !taken.has(address));
  if (!arrived.length) return null;
  return (
    <ul aria-label={`Arriving on ${line.name}`}>
      {arrived.slice(0, ARRIVALS_SHOWN).map(([address, who]) => (
        <Arrival key={address} address={address} who={who} />
      ))}
      {arrived.length > ARRIVALS_SHOWN && <li className="pl-[74px] text-[12px] text-soft">and {arrived.length - ARRIVALS_SHOWN} more</li>}
    </ul>
  );
}

const Arrival = memo(function Arrival({ address, who }: { address: string; who: string }) {
  return (
    <li className="grid h-[26px] grid-cols-[46px_16px_1fr] items-center gap-x-1.5 text-[13px]">
      <span className="text-right font-mono text-[12.5px]">{shortAddress(address)}</span>
      <Mark shape="open" tone="indigo" />
      <span className="truncate pl-1 italic">{who || "somebody answers"}</span>
    </li>
  );
});

function keyOf(row: Row): string {
  return row.kind === "gap" ? row.key : row.device.id;
}

function StrandHead({ line, share, count }: { line: Line; share: number; count: number }) {
  const answered = useAnswered(line.id);
  const sweeping = useStore(live, (l) => l.going);
  const going = sweeping && share < 1;
  const here = Object.keys(answered).length;
  return (
    <div className="rounded-t-[3px] border border-weave bg-cloth px-3 py-2">
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="min-w-0 truncate text-[14px] font-semibold">
          <button type="button" className="max-w-full truncate hover:underline" title={`${kindOf(line)}: methods, port and access of this line`} onClick={() => openLine(line.id)}>
            {line.name}
          </button>
        </h2>
        <span className="text-[12px] whitespace-nowrap text-soft">{count} known</span>
      </div>
      <div className="flex items-baseline justify-between gap-2 text-[12px] whitespace-nowrap text-soft">
        <span className="truncate" title={line.holder ? `${line.holder} has the line` : line.kind === "ip" ? `sent from ${line.source} on ${line.interface}` : line.path}>
          {line.holder ? `${line.holder} has the line` : <span className="font-mono">{whereOf(line) || kindOf(line)}</span>}
        </span>
        <span title={exact(line.swept)}>{going ? `${here} answered` : line.swept ? `swept ${ago(line.swept)}` : "never swept"}</span>
      </div>
      {/* Always one line high, so that nothing below moves when a sweep begins or ends. */}
      <div className="mt-0.5 flex h-[18px] items-center text-[12px]">
        {going ? (
          <Bar share={share} label={`Sweep of ${line.name}`} />
        ) : (
          (line.trouble || line.note) && <button
            type="button"
            onClick={() => openLine(line.id)}
            title={line.trouble || line.note}
            className={clsx("w-full truncate text-left", line.trouble ? "text-madder" : "text-weld")}
          >
            {line.trouble || line.note}
          </button>
        )}
      </div>
    </div>
  );
}

/** An area's head: all of its devices at once, and how many of them have something left to do under the lens. */
function AreaHead({ name, devices, lens }: { name: string; devices: Device[]; lens: Lens }) {
  const left = devices.filter(lens.open).length;
  return (
    <div className="rounded-t-[3px] border border-weave bg-cloth px-3 py-2">
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="min-w-0 truncate text-[14px] font-semibold">
          <button
            type="button"
            className="max-w-full truncate hover:underline"
            title={`Select all in ${name}`}
            onClick={() => place.set({ selected: new Set(devices.map((d) => d.id)), cursor: devices[0]?.id ?? "" })}
          >
            {name}
          </button>
        </h2>
        <span className="text-[12px] whitespace-nowrap text-soft">{plural(devices.length, "device")}</span>
      </div>
      <p className={clsx("h-[22px] text-[12px]", left ? "text-weld" : "text-soft")}>{left ? `${left} to do under ${lens.name}` : `nothing to do under ${lens.name}`}</p>
    </div>
  );
}
