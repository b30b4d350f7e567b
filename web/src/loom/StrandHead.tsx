import clsx from "clsx";
import { ChevronsLeft } from "lucide-react";
import type { Device, Line } from "../api/client";
import type { Lens } from "../lenses/lens";
import { live } from "../lib/live";
import { fold, openLine, place } from "../lib/place";
import { useStore } from "../lib/store";
import type { Warp } from "../lib/warp";
import { ago, exact, kindOf, plural, whereOf } from "../lib/words";
import { Button } from "../ui/Button";
import { Bar } from "../ui/parts";
import { useAnswered } from "./Arrivals";
import { useCarried } from "./useCarried";

function Fold({ strand, name }: { strand: string; name: string }) {
  return (
    <Button look="bare" aria-label={`Fold ${name}`} title="Fold it to a strip" className="!px-0 !py-0" onClick={() => fold(strand)}>
      <ChevronsLeft size={13} />
    </Button>
  );
}

/** A line's head. It is carried to another place by its head, or moved from its page on the bench. */
export function LineHead({ line, share, count }: { line: Line; share: number; count: number }) {
  const answered = useAnswered(line.id);
  const sweeping = useStore(live, (l) => l.going);
  const going = sweeping && share < 1;
  const here = Object.keys(answered).length;
  const { over, ...carried } = useCarried(line.id);
  return (
    <div {...carried} className={clsx("rounded-t-[3px] border bg-cloth px-3 py-2", over ? "border-indigo" : "border-weave")}>
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
      <div className="mt-0.5 flex h-[18px] items-center justify-between gap-1.5 text-[12px]">
        {going ? (
          <Bar share={share} label={`Sweep of ${line.name}`} />
        ) : (
          (line.trouble || line.note) && <button
            type="button"
            onClick={() => openLine(line.id)}
            title={line.trouble || line.note}
            className={clsx("min-w-0 flex-1 truncate text-left", line.trouble ? "text-madder" : "text-weld")}
          >
            {line.trouble || line.note}
          </button>
        )}
        <span className="ml-auto flex items-center">
          <Fold strand={line.id} name={line.name} />
        </span>
      </div>
    </div>
  );
}

/** An area's head: all of its devices at once, and how many of them have something left to do under the lens. */
export function AreaHead({ strand, name, devices, lens }: { strand: string; name: string; devices: Device[]; lens: Lens }) {
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
      <p className={clsx("flex h-[22px] items-center justify-between text-[12px]", left ? "text-weld" : "text-soft")}>
        {lens.uncounted ? "" : left ? `${left} to do under ${lens.name}` : `nothing to do under ${lens.name}`} <Fold strand={strand} name={name} />
      </p>
    </div>
  );
}

/** A strand that is folded: its name upright, how many it has, and what of them is left to do. A press spreads it out. */
export function Folded({ warp, devices, lens }: { warp: Warp; devices: Device[]; lens: Lens }) {
  const left = devices.filter(lens.open).length;
  const { over, ...carried } = useCarried(warp.line?.id ?? "");
  const trouble = warp.line?.trouble;
  return (
    <div {...carried} className={clsx("flex w-9 shrink-0 flex-col rounded-[3px] border bg-cloth", over ? "border-indigo" : "border-weave")}>
      <button
        type="button"
        aria-label={`Spread out ${warp.name}: ${plural(devices.length, "device")}, ${left} to do under ${lens.name}`}
        title={trouble || `${warp.name}: ${plural(devices.length, "device")}. A press spreads it out`}
        className="flex min-h-0 flex-1 flex-col items-center gap-1.5 py-2 hover:bg-weave/50"
        onClick={() => fold(warp.id)}
      >
        <span className={clsx("font-mono text-[12px]", left ? "font-semibold text-weld" : "text-soft")}>{left || devices.length}</span>
        {trouble && <span aria-hidden className="size-1.5 rotate-45 bg-madder" />}
        <span className="min-h-0 truncate text-[13px] font-semibold [writing-mode:vertical-rl]">{warp.name}</span>
      </button>
    </div>
  );
}
