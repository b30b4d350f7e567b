import clsx from "clsx";
import { ListPlus, Plus } from "lucide-react";
import { useMemo } from "react";
import type { Device, Line } from "../api/client";
import { useBegin } from "../api/work";
import type { Lens } from "../lenses/lens";
import { leftToDo } from "../lenses/registry";
import { orderOf } from "../lib/knots";
import { live, shareDone } from "../lib/live";
import { openPanel, place } from "../lib/place";
import { useStore } from "../lib/store";
import { Button } from "../ui/Button";
import { Filters } from "./Filters";
import { FirstLines } from "./FirstLines";
import { Site } from "./Site";
import { Strand } from "./Strand";

/** The picture of the whole installation: lines as strands, devices as knots in address order. */
export function Loom({ lines, devices, shown, lens }: { lines: Line[]; devices: Device[]; shown: Device[]; lens: Lens }) {
  const begin = useBegin();
  const only = useStore(place, (p) => (lens.finds ? p.only : ""));
  const todo = useStore(place, (p) => p.todo);
  const left = useMemo(() => leftToDo(devices, lens), [devices, lens]);
  const order = useMemo(() => orderOf(lines, shown).flat(), [lines, shown]);
  const progress = useStore(live, (l) => l.progress);
  const density = useStore(place, (p) => p.density);
  const placeless = devices.filter((d) => !d.addresses.length);
  if (!lines.length) return <FirstLines />;
  return (
    <section aria-label="Loom" className="flex min-w-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-2 px-4 pt-3 pb-1">
        <Button
          look="strong"
          disabled={begin.isPending}
          onClick={() => begin.mutate({ kind: "sweep" })}
        >
          Sweep all lines
        </Button>
        <Button onClick={() => openPanel("line")}>
          <Plus size={13} /> Add a line
        </Button>
        <Button onClick={() => openPanel("plan-device")}>
          <Plus size={13} /> Plan a device
        </Button>
        {lens.finds && (
          <Button onClick={() => openPanel("expected")}>
            <ListPlus size={13} /> Expected devices
          </Button>
        )}
        <button
          type="button"
          aria-pressed={todo}
          title={`Show only what is left to do under ${lens.name}`}
          onClick={() => place.set((p) => ({ ...p, todo: !p.todo }))}
          className={clsx("rounded-[3px] border px-2 py-0.5 text-[12.5px] whitespace-nowrap", todo ? "border-indigo bg-indigo-wash text-indigo" : "border-transparent text-soft hover:border-warp")}
        >
          left to do <span className="font-mono text-[12px]">{left}</span>
        </button>
        <span className="ml-auto text-[12px] whitespace-nowrap text-soft">
          {devices.length} devices on {lines.length} lines
        </span>
      </div>
      {lens.finds && <Filters devices={devices} only={only} />}
      {density === "site" ? (
        <Site lines={lines} devices={shown} lens={lens} order={order} />
      ) : (
        <div className="flex min-h-0 flex-1 gap-3 overflow-x-auto px-4 py-2">
          {(only || todo ? lines.filter((line) => shown.some((d) => d.addresses.some((p) => p.line_id === line.id))) : lines).map((line) => (
            <Strand key={line.id} line={line} devices={shown} lens={lens} order={order} share={progress[line.id] ? shareDone({ line: progress[line.id] }) : 1} />
          ))}
        </div>
      )}
      {placeless.length > 0 && (
        <p className="px-4 pb-2 text-[12px] text-soft">
          On no line yet: {placeless.map((d) => d.name).join(", ")}. Give each an address under Address.
        </p>
      )}
    </section>
  );
}
