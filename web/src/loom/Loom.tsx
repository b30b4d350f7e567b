import clsx from "clsx";
import { Archive, ListPlus, Pencil, Plus } from "lucide-react";
import { useMemo } from "react";
import type { Device, Line, Schemas } from "../api/client";
import { useBegin } from "../api/work";
import type { Lens } from "../lenses/lens";
import { leftToDo } from "../lenses/registry";
import { live, shareDone } from "../lib/live";
import { openPanel, place, weaveBy } from "../lib/place";
import { useStore } from "../lib/store";
import { type By, byAreas, byUniverses, type Warp } from "../lib/warp";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { Filters } from "./Filters";
import { FirstLines } from "./FirstLines";
import { Site } from "./Site";
import { Strand } from "./Strand";
import { gliding } from "./glide";
import { Folded } from "./StrandHead";
import { useOrdered, useStrands } from "./useStrands";

interface Props {
  lines: Line[];
  areas: Schemas["Area"][];
  /** How many lines and areas are archived. */
  away: number;
  /** The strands: lines, or areas. */
  warps: Warp[];
  devices: Device[];
  shown: Device[];
  lens: Lens;
}

const CROWD = 24; // strands
const NOBODY: Device[] = [];

/** The picture of the whole installation: lines or areas as strands, devices as knots. */
export function Loom({ lines, areas, away, warps, devices, shown, lens }: Props) {
  const begin = useBegin();
  const only = useStore(place, (p) => (lens.finds ? p.only : ""));
  const todo = useStore(place, (p) => p.todo) && !lens.uncounted;
  const left = useMemo(() => leftToDo(devices, lens), [devices, lens]);
  const strands = useStrands(warps, shown);
  const order = useOrdered(warps, strands);
  const on = (warp: Warp) => strands.get(warp.id) ?? [];
  const progress = useStore(live, (l) => l.progress);
  const density = useStore(place, (p) => p.density);
  const folded = useStore(place, (p) => p.folded);
  const cursor = useStore(place, (p) => (p.folded.size ? p.cursor : "")); // whom one goes to is seen
  const placeless = devices.filter((d) => !d.addresses.length);
  if (!lines.length) return <FirstLines away={away} />;
  const leftToDoOnly = !lens.uncounted && (
    <button
      type="button"
      aria-pressed={todo}
      title={`Show only what is left to do under ${lens.name}`}
      onClick={() => place.set((p) => ({ ...p, todo: !p.todo }))}
      className={clsx("rounded-[3px] border px-2 py-0.5 text-[12.5px] whitespace-nowrap", todo ? "border-indigo bg-indigo-wash text-indigo" : "border-transparent text-soft hover:border-warp")}
    >
      left to do <span className="font-mono text-[12px]">{left}</span>
    </button>
  );
  return (
    <section aria-label="Loom" className="flex min-w-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-1 px-4 pt-3 pb-1">
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
        {!lens.finds && leftToDoOnly}
        {lens.live && <Live />}
        <Weave devices={devices} lines={lines} areas={areas} away={away} />
      </div>
      {lens.finds && (
        <Filters devices={devices} only={only}>
          {leftToDoOnly}
        </Filters>
      )}
      {density === "site" ? (
        <Site warps={warps} strands={strands} devices={shown} lens={lens} order={order} />
      ) : (
        <div className="flex min-h-0 flex-1 gap-3 overflow-x-auto px-4 py-2">
          {(only || todo ? warps.filter((warp) => on(warp).length) : warps).map((warp) => (
            folded.has(warp.id) && !on(warp).some((d) => d.id === cursor) ? <Folded key={warp.id} warp={warp} devices={on(warp)} lens={lens} /> : <Strand key={warp.id} warp={warp} devices={strands.get(warp.id) ?? NOBODY} lens={lens} order={order} share={progress[warp.id] ? shareDone({ line: progress[warp.id] }) : 1} crowded={warps.length > CROWD} />
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

/** Live states of points on the knots that are in view; what is drawn is asked for. */
function Live() {
  const lit = useStore(place, (p) => p.lit);
  return (
    <button
      type="button"
      aria-pressed={lit}
      title="Live states of relays, inputs and displays on the knots that are in view"
      onClick={() => {
        localStorage.setItem("netloom.lit", lit ? "no" : "yes");
        place.set({ lit: !lit });
      }}
      className={clsx("rounded-[3px] border px-2 py-0.5 text-[12.5px] whitespace-nowrap", lit ? "border-indigo bg-indigo-wash text-indigo" : "border-transparent text-soft hover:border-warp")}
    >
      live states
    </button>
  );
}

/** Which warp the devices hang on. */
function Weave({ devices, lines, areas, away }: Pick<Props, "devices" | "lines" | "areas" | "away">) {
  const by = useStore(place, (p) => p.by);
  const places = useMemo(() => byAreas(areas, devices).length, [areas, devices]);
  const universes = useMemo(() => byUniverses(lines, devices).length, [lines, devices]);
  const now = by === "universes" && !universes ? "lines" : by;
  const one = (which: By, words: string) => (
    <button
      type="button"
      aria-pressed={now === which}
      title={`${plural(devices.length, "device")}, in strands by ${which} (w)`}
      onClick={() => gliding(() => weaveBy(which))}
      className={clsx("rounded-[3px] border px-1 py-0.5", now === which ? "border-indigo bg-indigo-wash text-indigo" : "border-transparent hover:border-warp")}
    >
      {words}
    </button>
  );
  return (
    <span role="group" aria-label="Strands" className="ml-auto flex items-center text-[12px] whitespace-nowrap text-soft">
      {one("lines", plural(lines.length, "line"))} {one("areas", plural(places, "area"))} {universes > 0 && one("universes", plural(universes, "universe"))}
      <Button look="bare" title="Make, rename, merge areas" aria-label="Areas" className="!px-0.5" onClick={() => openPanel("areas")}>
        <Pencil size={13} />
      </Button>
      {away > 0 && (
        <Button look="bare" title={`${away} archived`} aria-label={`${away} archived`} className="!px-0.5" onClick={() => openPanel("archived")}>
          <Archive size={13} />
        </Button>
      )}
    </span>
  );
}
