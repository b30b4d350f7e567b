import clsx from "clsx";
import { Suspense, useRef } from "react";
import type { Device, Schemas } from "../api/client";
import type { Lens } from "../lenses/lens";
import { place } from "../lib/place";
import { useStore } from "../lib/store";
import { Boundary } from "../ui/Boundary";
import { Waiting } from "../ui/parts";
import { Face, ManyFace } from "./Face";
import { LeftToDo } from "./LeftToDo";
import { Welcome } from "./Welcome";

interface Props {
  devices: Device[];
  overview: Schemas["Overview"];
  person: Schemas["Person"];
  lens: Lens;
  /** Where it is the only place in view it takes all of the width. */
  narrow: boolean;
}

/** The place where the selected devices are worked on; what it shows follows the lens. */
export function Bench({ devices, overview, person, lens, narrow }: Props) {
  const selected = useStore(place, (p) => p.selected);
  const width = useStore(place, (p) => p.benchWidth);
  const chosen = devices.filter((d) => selected.has(d.id));
  const Inner = lens.Bench;
  return (
    <>
      {!narrow && <Handle />}
      <aside
        id="bench"
        aria-label="Bench"
        tabIndex={-1}
        style={{ width: narrow ? "100%" : width }}
        className={clsx("@container flex shrink-0 scroll-pt-16 flex-col overflow-x-hidden overflow-y-auto bg-cloth px-4 py-3", !narrow && "border-l border-weave")}
      >
        {overview.demo && !chosen.length && lens.finds && <Welcome />}
        {chosen.length === 1 && <Face device={chosen[0]} overview={overview} />}
        {chosen.length > 1 && <ManyFace chosen={chosen} />}
        <Boundary key={lens.id} place="The bench">
          {!chosen.length && lens.causes && !lens.tellsLeft && <LeftToDo devices={devices} lens={lens} />}
          <Suspense fallback={<Waiting>Opening {lens.name} …</Waiting>}>
            <Inner chosen={chosen} devices={devices} overview={overview} person={person} />
          </Suspense>
        </Boundary>
      </aside>
    </>
  );
}

function Handle() {
  const from = useRef<{ x: number; width: number }>(null);
  const to = (width: number) => {
    const bounded = Math.min(Math.max(width, 340), window.innerWidth - 420);
    localStorage.setItem("netloom.bench", String(bounded));
    place.set({ benchWidth: bounded });
  };
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="Width of the bench"
      aria-valuenow={place.get().benchWidth}
      tabIndex={0}
      className="-mr-1.5 w-1.5 shrink-0 cursor-col-resize hover:bg-indigo/40"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = { x: event.clientX, width: place.get().benchWidth };
      }}
      onPointerMove={(event) => from.current && to(from.current.width + from.current.x - event.clientX)}
      onPointerUp={() => {
        from.current = null;
      }}
      onKeyDown={(event) => {
        if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
          event.stopPropagation();
          to(place.get().benchWidth + (event.key === "ArrowLeft" ? 24 : -24));
        }
      }}
    />
  );
}
