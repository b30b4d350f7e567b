import clsx from "clsx";
import type { ReactNode } from "react";
import type { Device } from "../api/client";
import { inState, STATES, stateOf } from "../lib/knots";
import { place } from "../lib/place";
import { Mark } from "../ui/Mark";

/** Under Survey: only those in one state. Those with nobody in it stay, so that nothing jumps. What else is chosen by follows. */
export function Filters({ devices, only, children }: { devices: Device[]; only: string; children: ReactNode }) {
  return (
    <div role="group" aria-label="Show only" className="flex flex-wrap items-center gap-1 px-4 pb-1 text-[12.5px]">
      <One name="all" count={devices.length} on={!only} pick={() => place.set({ only: "", line: "" })} />
      {STATES.map((state) => {
        const those = inState(devices, state);
        return (
          <One
            key={state}
            name={state === "duplicate" ? "two on one address" : state}
            count={those.length}
            on={only === state}
            sample={those[0]}
            pick={() => place.set((p) => ({ ...p, line: "", selected: new Set(), only: p.only === state ? "" : state }))}
          />
        );
      })}
      {children}
    </div>
  );
}

function One({ name, count, on, sample, pick }: { name: string; count: number; on: boolean; sample?: Device; pick: () => void }) {
  const telling = sample ? stateOf(sample) : undefined;
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={pick}
      className={clsx(
        "inline-flex items-center gap-1 rounded-[3px] border px-1 py-0.5",
        on ? "border-indigo bg-indigo-wash text-indigo" : "border-transparent text-soft hover:border-warp",
      )}
    >
      {telling && <Mark shape={telling.shape} tone={telling.tone} size={12} />}
      {name} <span className="font-mono text-[12px]">{count}</span>
    </button>
  );
}
