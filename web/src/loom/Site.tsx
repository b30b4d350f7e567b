import clsx from "clsx";
import { memo, useCallback, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Device } from "../api/client";
import type { Lens } from "../lenses/lens";
import { tells } from "../lenses/registry";
import { openLine, place, select } from "../lib/place";
import { fitted, KNOT, type Stroke } from "../lib/strokes";
import { useStore } from "../lib/store";
import { rowsIn, type Warp } from "../lib/warp";
import { INK, Mark } from "../ui/Mark";
import type { Strands } from "./useStrands";

interface Props {
  warps: Warp[];
  strands: Strands;
  devices: Device[];
  lens: Lens;
  order: string[];
}

const HEAD = 124;
const LETTER = 6.6; // of a name that stands upright, about
const WIDEST = 74;
const ROOMY = 23;

/** The whole installation in one picture, without scrolling: thin strands side by side, like a warp. */
export function Site({ warps, strands, devices, lens, order }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [over, setOver] = useState("");
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const watcher = new ResizeObserver(() => setSize({ width: element.clientWidth, height: element.clientHeight }));
    watcher.observe(element);
    return () => watcher.disconnect();
  }, []);
  const head = Math.min(HEAD, Math.max(...warps.map((warp) => warp.name.length), 4) * LETTER + 20);
  const width = warps.length ? Math.min(WIDEST, Math.floor(size.width / warps.length)) : 0;
  // As much room for each knot as the fullest strand leaves, and the same on all of them.
  const usual = useMemo(() => {
    const most = Math.max(1, ...[...strands.values()].map((those) => those.length));
    return Math.max(KNOT, Math.min(ROOMY, (size.height - head - 6) / most));
  }, [strands, size.height, head]);
  const pick = useCallback(
    (event: React.MouseEvent, id: string) => select(id, event.shiftKey ? "extend" : event.ctrlKey || event.metaKey ? "toggle" : "only", order),
    [order],
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col px-4 pb-2">
      <div ref={box} className="flex min-h-0 flex-1 overflow-hidden pt-1">
        {width > 0 &&
          warps.map((warp) => (
            <Thin key={warp.id} warp={warp} devices={strands.get(warp.id) ?? NOBODY} lens={lens} width={width} head={head} height={size.height - head - 6} usual={usual} pick={pick} point={setOver} />
          ))}
      </div>
      <Told devices={devices} lens={lens} over={over} />
    </div>
  );
}

/** Who is under the pointer, else at the cursor: names have no room on thin strands. */
function Told({ devices, lens, over }: { devices: Device[]; lens: Lens; over: string }) {
  const cursor = useStore(place, (p) => p.cursor);
  const device = devices.find((d) => d.id === (over || cursor));
  const telling = device && tells(device, lens);
  return (
    <p className="flex h-6 items-center gap-2 overflow-hidden text-[12.5px] whitespace-nowrap" aria-live="off">
      {device && telling ? (
        <>
          <Mark shape={telling.shape} tone={telling.tone} size={13} />
          <b className="font-medium">{device.name}</b>
          <span className="text-soft">{[device.model, device.area].filter(Boolean).join(" · ")}</span>
          <span className="font-mono text-[12px]">{device.addresses[0]?.address}</span>
          <span className="text-soft">{device.addresses[0]?.line}</span>
          <span className={INK[telling.tone]}>{telling.word}</span>
        </>
      ) : (
        <span className="truncate text-soft">Point at a knot to see who it is; a number stands for so many that are as they should be.</span>
      )}
    </p>
  );
}

interface ThinProps {
  warp: Warp;
  devices: Device[];
  lens: Lens;
  width: number;
  head: number;
  height: number;
  usual: number;
  pick: (event: React.MouseEvent, id: string) => void;
  point: (id: string) => void;
}

/** One line or area as a thread: its name upright, its knots in address order, runs of ordinary ones as one stroke. */
const Thin = memo(function Thin({ warp, devices, lens, width, head, height, usual, pick, point }: ThinProps) {
  const strokes = useMemo(() => {
    const knots = rowsIn(warp, devices).flatMap((row) => (row.kind === "knot" ? [row.device] : []));
    return fitted(knots, (device) => tells(device, lens), height, usual);
  }, [warp, devices, lens, height, usual]);
  const mine = useMemo(() => new Set(strokes.flatMap((one) => one.devices.map((d) => d.id))), [strokes]);
  const cursor = useStore(place, (p) => (mine.has(p.cursor) ? p.cursor : ""));
  const selected = useStore(place, (p) => chosenOf(p.selected, mine));
  const troubled = strokes.reduce((sum, one) => sum + (one.telling.ordinary ? 0 : one.devices.length), 0);
  return (
    <div className="flex shrink-0 flex-col items-center" style={{ width }}>
      <button
        type="button"
        onClick={() => (warp.line ? openLine(warp.id) : place.set({ selected: mine, cursor: [...mine][0] ?? "" }))}
        title={`${warp.name}: ${mine.size} known${troubled ? `, ${troubled} with something to tell` : ""}${warp.line?.trouble ? `. ${warp.line.trouble}` : ""}`}
        className={clsx("flex items-end justify-center overflow-hidden rounded-t-[3px] pb-1.5 hover:bg-weave/60", warp.line?.trouble && "text-madder")}
        style={{ height: head, width }}
      >
        <span className={clsx("max-h-full rotate-180 truncate font-medium [writing-mode:vertical-rl]", width < 15 ? "text-[10px]" : "text-[12px]")}>
          {warp.name}
        </span>
      </button>
      <div
        role="listbox"
        aria-multiselectable
        aria-label={`Devices ${warp.line ? "on" : "in"} ${warp.name}`}
        tabIndex={0}
        aria-activedescendant={cursor ? `knot-${cursor}` : undefined}
        className="relative"
        style={{ width, height }}
        onMouseLeave={() => point("")}
      >
        <div aria-hidden className="absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2 bg-warp/60" />
        {strokes.map((one) => (
          <Drawn key={one.devices[0].id} stroke={one} width={width} cursor={cursor} selected={selected} pick={pick} point={point} />
        ))}
      </div>
    </div>
  );
});

interface DrawnProps {
  stroke: Stroke;
  width: number;
  cursor: string;
  selected: ReadonlySet<string>;
  pick: ThinProps["pick"];
  point: ThinProps["point"];
}

function Drawn({ stroke, width, cursor, selected, pick, point }: DrawnProps) {
  const { devices, telling, top, height } = stroke;
  const at = devices.some((d) => d.id === cursor);
  const chosen = devices.some((d) => selected.has(d.id));
  const many = devices.length > 1;
  const name = many ? `${devices[0].name} to ${devices[devices.length - 1].name}: ${devices.length} ${telling.word}` : `${devices[0].name}, ${telling.word}`;
  return (
    <div
      id={`knot-${at ? cursor : devices[0].id}`}
      role="option"
      aria-selected={chosen}
      aria-label={name}
      title={name}
      onMouseEnter={() => point(devices[0].id)}
      onClick={(event) => (many ? pickAll(event, devices, pick) : pick(event, devices[0].id))}
      className={clsx("absolute left-0 grid cursor-pointer place-items-center rounded-[2px]", chosen ? "bg-indigo-wash" : "hover:bg-weave/70", at && "ring-2 ring-indigo ring-inset")}
      style={{ top, height, width }}
    >
      {many ? (
        <span className="relative grid h-full w-full place-items-center">
          <span aria-hidden className="absolute inset-y-px left-1/2 w-[5px] -translate-x-1/2 rounded-full bg-warp" />
          {height >= 16 && width >= 22 && <span className="relative rounded-[2px] bg-ground px-0.5 font-mono text-[10.5px] text-soft">{devices.length}</span>}
        </span>
      ) : (
        <span className={clsx("grid place-items-center", telling.ordinary && "opacity-55")}>
          <Mark shape={telling.shape} tone={telling.tone} size={Math.max(7, Math.min(16, height, width - 1))} />
        </span>
      )}
    </div>
  );
}

/** A stroke is all of its knots. */
function pickAll(event: React.MouseEvent, devices: Device[], pick: ThinProps["pick"]) {
  if (event.shiftKey || event.ctrlKey || event.metaKey) pick(event, devices[0].id);
  else place.set({ cursor: devices[0].id, anchor: devices[0].id, base: new Set(), selected: new Set(devices.map((d) => d.id)) });
}

const NOBODY: Device[] = [];
const NOTHING: ReadonlySet<string> = new Set();

function chosenOf(selected: ReadonlySet<string>, mine: ReadonlySet<string>): ReadonlySet<string> {
  for (const id of selected) if (mine.has(id)) return selected;
  return NOTHING;
}
