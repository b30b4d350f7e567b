import { useVirtualizer } from "@tanstack/react-virtual";
import clsx from "clsx";
import { memo, useCallback, useEffect, useMemo, useRef } from "react";
import type { Device } from "../api/client";
import type { Lens } from "../lenses/lens";
import type { Row } from "../lib/knots";
import { place, select } from "../lib/place";
import { useStore } from "../lib/store";
import { rowsIn, type Warp } from "../lib/warp";
import { Arrivals, useAnswered } from "./Arrivals";
import { Knot } from "./Knot";
import { AreaHead, LineHead } from "./StrandHead";
import { useNear } from "./useNear";

interface Props {
  warp: Warp;
  devices: Device[];
  lens: Lens;
  order: string[];
  /** How far its sweep has come, 0 to 1; 1 when none goes on. */
  share: number;
  /** Among so many strands that only those in view have their knots. */
  crowded: boolean;
}

const HEIGHT = { rows: 46, lines: 26 };
const WIDTH = { rows: "min-w-[236px]", lines: "min-w-[200px]" };
const GAP = 17;

/** One line or area: its head, and its knots along the warp. */
export const Strand = memo(function Strand({ warp, devices, lens, order, share, crowded }: Props) {
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
  const whole = useRef<HTMLDivElement>(null);
  const near = useNear(whole);
  // Whom one goes to, by key or by name, comes into view, however far down or aside.
  useEffect(() => {
    const index = rows.findIndex((row) => row.kind === "knot" && row.device.id === cursor);
    if (index < 0) return;
    if (whole.current && hidden(whole.current)) whole.current.scrollIntoView({ block: "nearest", inline: "nearest" });
    virtual.scrollToIndex(index, { align: "auto" });
    // Only a step of the cursor scrolls: not what is read, swept or sorted meanwhile.
  }, [cursor]);
  const knots = rows.filter((row) => row.kind === "knot");
  const pick = useCallback(
    (event: React.MouseEvent, id: string) => select(id, event.shiftKey ? "extend" : event.ctrlKey || event.metaKey ? "toggle" : "only", order),
    [order],
  );
  return (
    <div ref={whole} className={clsx("flex min-h-0 w-full max-w-[460px] flex-1 flex-col", WIDTH[density])}>
      {warp.line ? <LineHead line={warp.line} share={share} count={knots.length} /> : <AreaHead strand={warp.id} name={warp.name} devices={knots.map((row) => row.device)} lens={lens} />}
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
            {(!crowded || near || cursor ? virtual.getVirtualItems() : []).map((item) => {
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

/** Whether less than half of a strand is in view: what somebody points at does not move away under the pointer. */
function hidden(strand: Element): boolean {
  const [mine, around] = [strand.getBoundingClientRect(), strand.parentElement!.getBoundingClientRect()];
  return Math.min(mine.right, around.right) - Math.max(mine.left, around.left) < mine.width / 2;
}

const NOTHING: ReadonlySet<string> = new Set();

/** The selection where any of it is here; else always the same empty one. */
function touching(selected: ReadonlySet<string>, mine: ReadonlySet<string>): ReadonlySet<string> {
  for (const id of selected) if (mine.has(id)) return selected;
  return NOTHING;
}

function keyOf(row: Row): string {
  return row.kind === "gap" ? row.key : row.device.id;
}
