import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useCallback, useEffect, useMemo, useRef } from "react";
import type { Device } from "../api/client";
import type { Lens } from "../lenses/lens";
import type { Row } from "../lib/knots";
import { place, select } from "../lib/place";
import { useStore } from "../lib/store";
import { rowsIn, type Warp } from "../lib/warp";
import { Arrivals, useAnswered } from "./Arrivals";
import { Gap, Ghost, Ways } from "./Ghosts";
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
const WIDTH = { rows: 236, lines: 200 };
const WIDEST = 300; // that a long name alone makes a strand
const LETTER = 6.8; // of a name, about
const BESIDE_NAME = 102; // address, mark, gaps and the bar to scroll by
const ROOM = "calc(12.5vw + 76px)"; // on a small screen three strands beside the bench are more than whole names
const GAP = 17;

/** One line or area: its head, and its knots along the warp. */
export const Strand = memo(function Strand({ warp, devices, lens, order, share, crowded }: Props) {
  const density = useStore(place, (p) => (p.density === "rows" ? "rows" : "lines"));
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => rowsIn(warp, devices, lens.ghosts), [warp, devices, lens.ghosts]);
  const longest = useMemo(() => rows.reduce((most, row) => (row.kind === "knot" ? Math.max(most, row.device.name.length) : most), 0), [rows]);
  const mine = useMemo(() => new Set(rows.flatMap((row) => (row.kind === "knot" ? [row.device.id] : []))), [rows]);
  // A step on one strand is no reason to draw the others again.
  const cursor = useStore(place, (p) => (mine.has(p.cursor) ? p.cursor : ""));
  const selected = useStore(place, (p) => touching(p.selected, mine));
  const answered = useAnswered(warp.id);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: (index) => heightOf(rows[index], density),
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
    <div ref={whole} className="flex min-h-0 w-full max-w-[460px] flex-1 flex-col" style={{ minWidth: `clamp(${WIDTH[density]}px, ${Math.min(WIDEST, longest * LETTER + BESIDE_NAME)}px, ${ROOM})` }}>
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
            {lens.ghosts && <Ways rows={rows} tops={middles(rows, density)} />}
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
                    <Gap row={row} line={warp.line} devices={devices} takes={!!lens.ghosts} />
                  ) : row.kind === "ghost" ? (
                    <Ghost row={row} pick={pick} />
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
  return row.kind === "gap" ? row.key : row.kind === "ghost" ? `ghost ${row.device.id}` : row.device.id;
}

const heightOf = (row: Row, density: keyof typeof HEIGHT): number => (row.kind === "gap" ? GAP : row.kind === "ghost" ? HEIGHT.lines : HEIGHT[density]);

/** Where the middle of each row is, from the strand's top. */
function middles(rows: Row[], density: keyof typeof HEIGHT): number[] {
  let top = 0;
  return rows.map((row) => {
    const height = heightOf(row, density);
    top += height;
    return top - height / 2;
  });
}
