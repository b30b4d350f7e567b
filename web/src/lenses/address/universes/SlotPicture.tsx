import clsx from "clsx";
import { useState } from "react";
import { api, got } from "../../../api/client";
import { useChange } from "../../../api/work";
import { select } from "../../../lib/place";
import { type Fixture, LAST_SLOT, type Slot, slotsOf, type UniverseRules } from "../../../lib/universes";
import { plural } from "../../../lib/words";

const ACROSS = 32;
const CELL = 15;
const ROW = 16;
const LEFT = 30;

interface Props {
  universe: number;
  rules: UniverseRules | undefined;
  fixtures: Fixture[];
  /** Devices that stand out. */
  marked: ReadonlySet<string>;
}

/** The 512 slots of a universe: who listens where, who is to. A fixture is carried to another start address here. */
export function SlotPicture({ universe, rules, fixtures, marked }: Props) {
  const [over, setOver] = useState<Slot>();
  const [carried, setCarried] = useState<{ one: Fixture; grip: number }>();
  const decide = useChange(({ one, start }: { one: Fixture; start: number }) =>
    got(api.POST("/api/universes/decide", { body: { assignments: [{ device: one.device, start, universe, version: one.version }] } })),
  );
  const slots = slotsOf(universe, rules, fixtures);
  const taken = slots.filter((slot) => slot.here.length || slot.coming.length).length;
  const take = (slot: Slot) => {
    const one = slot.coming[0] ?? slot.here[0];
    if (one?.mine && one.can) setCarried({ one, grip: slot.n - (slot.coming.length ? one.start : one.at) });
  };
  const letGo = (slot: Slot) => {
    if (carried) {
      const { one, grip } = carried;
      const start = Math.max(1, Math.min(slot.n - grip, LAST_SLOT - Math.max(one.slots, 1) + 1));
      if (start !== one.start || universe !== one.universe) decide.mutate({ one, start });
    }
    setCarried(undefined);
  };
  return (
    <div className="mb-1">
      <p className="mb-1 h-4 truncate text-[12px] text-soft">{over ? told(over) : `${plural(taken, "slot")} taken or planned`}</p>
      <svg
        role="img"
        aria-label={`Slots of universe ${universe}: ${plural(taken, "slot")} taken or planned`}
        viewBox={`0 0 ${LEFT + ACROSS * CELL} ${(LAST_SLOT / ACROSS) * ROW}`}
        className={clsx("w-full select-none", carried && "cursor-grabbing")}
        onPointerLeave={() => (setOver(undefined), setCarried(undefined))}
      >
        {Array.from({ length: LAST_SLOT / ACROSS }, (_, row) => (
          <text key={row} x={LEFT - 5} y={row * ROW + 11} textAnchor="end" className="fill-soft font-mono text-[10px]">
            {row * ACROSS + 1}
          </text>
        ))}
        {slots.map((slot) => (
          <Drawn key={slot.n} slot={slot} marked={[...slot.here, ...slot.coming].some((one) => marked.has(one.device))} over={() => setOver(slot)} take={() => take(slot)} letGo={() => letGo(slot)} />
        ))}
      </svg>
    </div>
  );
}

const told = (slot: Slot): string => {
  const here = slot.here.map((one) => one.name).join(" and ");
  const coming = slot.coming.length ? `planned for ${slot.coming.map((one) => one.name).join(" and ")}` : "";
  return [`Slot ${slot.n}`, here || (coming || slot.said ? "" : "free"), coming, slot.said].filter(Boolean).join(" · ");
};

const ZONES: Record<Slot["zone"], string> = { "": "fill-weave/70", range: "fill-woad-wash", reserved: "fill-weave/30 stroke-warp" };

interface DrawnProps {
  slot: Slot;
  marked: boolean;
  over: () => void;
  take: () => void;
  letGo: () => void;
}

function Drawn({ slot, marked, over, take, letGo }: DrawnProps) {
  const [x, y] = [LEFT + ((slot.n - 1) % ACROSS) * CELL, Math.floor((slot.n - 1) / ACROSS) * ROW];
  const [here, coming] = [slot.here[0], slot.coming[0]];
  const begins = here?.at === slot.n || coming?.start === slot.n;
  // Slots of one fixture stand together: only where it begins there is a gap before it.
  const body = (begun: boolean) => ({ x: x + (begun ? 0.5 : -2), y: y + 2.5, width: CELL - (begun ? 2.5 : 0), height: CELL - 7 });
  return (
    <g
      data-slot={slot.n}
      onPointerEnter={over}
      onPointerDown={take}
      onPointerUp={letGo}
      onClick={() => (here ?? coming) && select((here ?? coming).device, "only")}
      className={clsx((here || coming) && "cursor-pointer")}
    >
      <title>{told(slot)}</title>
      <rect x={x} y={y} width={CELL - 2} height={CELL - 2} rx="1.5" className={ZONES[slot.zone]} strokeWidth="0.8" strokeDasharray={slot.zone === "reserved" ? "2 1.5" : undefined} />
      {here && <rect {...body(here.at === slot.n)} className={slot.clash ? "fill-madder" : here.mine ? "fill-ink/75" : "fill-indigo"} />}
      {coming && <rect {...body(coming.start === slot.n)} className={clsx("fill-none", slot.clash ? "stroke-madder" : "stroke-weld")} strokeWidth="1.3" strokeDasharray="2 1" />}
      {begins && <rect x={x + 0.5} y={y} width="2.5" height={CELL - 2} className={slot.clash ? "fill-madder" : here ? "fill-ink" : "fill-weld"} />}
      {slot.clash && <rect x={x} y={y} width={CELL - 2} height={CELL - 2} rx="1.5" className="fill-none stroke-madder" strokeWidth="1.4" />}
      {marked && <rect x={x} y={y + CELL - 3.5} width={CELL} height="1.8" className="fill-indigo" />}
    </g>
  );
}

/** What the marks of the picture mean. */
export function SlotLegend() {
  const one = (words: string, mark: React.ReactNode) => (
    <span className="inline-flex items-center gap-1">
      <svg aria-hidden viewBox="0 0 14 14" className="size-3.5">
        {mark}
      </svg>
      {words}
    </span>
  );
  return (
    <p className="mb-3 flex flex-wrap gap-x-3 gap-y-0.5 text-[12px] text-soft">
      {one("listens", <><rect x="1" y="3" width="13" height="8" className="fill-ink/75" /><rect x="1" y="1" width="2.5" height="12" className="fill-ink" /></>)}
      {one("to come", <rect x="1" y="3" width="12" height="8" className="fill-none stroke-weld" strokeDasharray="2 1" />)}
      {one("two on one", <><rect x="1" y="3" width="12" height="8" className="fill-madder" /><rect x="1" y="1" width="12" height="12" className="fill-none stroke-madder" /></>)}
      {one("free", <rect x="1" y="1" width="12" height="12" rx="1.5" className="fill-weave/70" />)}
      {one("range", <rect x="1" y="1" width="12" height="12" rx="1.5" className="fill-woad-wash" />)}
      {one("reserved", <rect x="1" y="1" width="12" height="12" rx="1.5" strokeDasharray="2 1.5" className="fill-weave/30 stroke-warp stroke-[0.8]" />)}
    </p>
  );
}
