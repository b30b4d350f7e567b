import clsx from "clsx";
import { memo, useCallback, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { called, type GridForm, lockOn, moved, type States } from "../../lib/crosspoints";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { NotTaken } from "./NotTaken";
import { useTake } from "./useRouting";

const WIDE = 42;
const BIG = 6; // so many steps with Shift

interface Props {
  device: { id: string; name: string };
  grid: GridForm;
  states: States | undefined;
  locks: Schemas["Lock"][];
}

/** A mixer: how much of each input is in each output. A level is typed, or stepped by [ and ]; Delete takes it out. */
export function LevelGrid({ device, grid, states, locks }: Props) {
  const levels = grid.levels!;
  const [at, setAt] = useState<[number, number]>([0, 0]);
  const [typed, setTyped] = useState("");
  const [held, setHeld] = useState<Record<string, string>>({});
  const [holds, setHolds] = useState(false);
  const [failed, setFailed] = useState<Schemas["Taken"][]>([]);
  const area = useRef<HTMLDivElement>(null);
  const take = useTake((cells) => {
    setFailed(cells.filter((one) => one.word !== "taken" && one.word !== "same"));
    setHeld((now) => Object.fromEntries(Object.entries(now).filter(([point]) => !cells.some((c) => c.point === point && (c.word === "taken" || c.word === "same")))));
  });
  const known = states ?? {};
  const places = Math.max(0, -Math.floor(Math.log10(levels.step || 1)));
  const word = (value: number) => Math.min(Math.max(value, levels.minimum), levels.maximum).toFixed(places);
  const set = (point: string, value: string) => {
    if (lockOn(locks, device.id, point, value)) return;
    if (holds) setHeld((now) => ({ ...now, [point]: value }));
    else take.mutate([{ device: device.id, point, state: value }]);
  };
  const here = grid.rows[at[0]]?.points[at[1]] ?? "";
  const now = held[here] ?? known[here];
  const step = (by: number) => now !== undefined && set(here, word(Number(now) + by * (levels.step || 1)));
  const keys = (event: React.KeyboardEvent) => {
    const next = moved(at, event.key, grid.rows.length, grid.columns.length);
    const acts: Record<string, () => void> = {
      "]": () => step(1),
      "[": () => step(-1),
      "}": () => step(BIG),
      "{": () => step(-BIG),
      Delete: () => set(here, word(levels.minimum)),
      Enter: () => (typed ? (set(here, word(Number(typed))), setTyped("")) : Object.keys(held).length && take.mutate(Object.entries(held).map(([point, state]) => ({ device: device.id, point, state })))),
      Backspace: () => setTyped(typed.slice(0, -1)),
      Escape: () => (setTyped(""), setHeld({})),
    };
    const digit = /^[\d.,]$/.test(event.key) || (event.key === "-" && !typed);
    if (!next && !acts[event.key] && !digit) return;
    event.preventDefault();
    event.stopPropagation();
    if (next) {
      setAt(next);
      setTyped("");
    } else if (digit) setTyped((text) => `${text}${event.key === "," ? "." : event.key}`.slice(0, 6));
    else acts[event.key]();
  };
  const pick = useCallback((row: number, column: number) => setAt([row, column]), []);
  const [row, column] = [grid.rows[at[0]], grid.columns[at[1]]];
  const waiting = Object.keys(held).length;
  const lock = lockOn(locks, device.id, here);
  return (
    <section aria-label={`${grid.label} of ${device.name}`}>
      <div className="mb-1.5 flex flex-wrap items-center gap-2 text-[12.5px]">
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={holds} onChange={(event) => setHolds(event.target.checked)} className="accent-indigo" /> Hold first, then take together
        </label>
        {waiting > 0 && (
          <>
            <Button look="strong" disabled={take.isPending} onClick={() => take.mutate(Object.entries(held).map(([point, state]) => ({ device: device.id, point, state })))}>
              Take {plural(waiting, "level")}
            </Button>
            <Button onClick={() => setHeld({})}>Let them be</Button>
          </>
        )}
      </div>
      <div className="overflow-auto rounded-[3px] border border-weave">
        <div ref={area} role="grid" aria-label={grid.label} tabIndex={0} aria-activedescendant={`level-${device.id}-${at[0]}-${at[1]}`} onKeyDown={keys} className="w-max min-w-full outline-offset-[-2px]">
          <div role="row" className="flex">
            <div role="columnheader" aria-label="Outputs" className="w-28 shrink-0" />
            {grid.columns.map((one, index) => (
              <div key={one.number} role="columnheader" style={{ width: WIDE }} title={called(one)} className={clsx("shrink-0 truncate px-0.5 py-1 text-center text-[11px]", at[1] === index && "bg-indigo/8 font-medium")}>
                {called(one)}
              </div>
            ))}
          </div>
          {grid.rows.map((one, index) => (
            <Line key={one.number} id={device.id} index={index} name={called(one)} names={grid.columns.map(called).join("\t")} points={one.points.join("\t")} states={one.points.map((point) => known[point] ?? "").join("\t")} held={one.points.map((point) => held[point] ?? "").join("\t")} at={at[0] === index ? at[1] : -1} minimum={levels.minimum} maximum={levels.maximum} pick={pick} />
          ))}
        </div>
      </div>
      <p className="mt-1 text-[12.5px]" aria-live="polite">
        {typed ? (
          <b className="font-mono">
            {typed} {levels.unit}: Enter takes it
          </b>
        ) : (
          <>
            {called(column)} in {called(row)}: {now === undefined ? "not known" : Number(now) <= levels.minimum ? "out" : `${now} ${levels.unit}`}
            {lock && ` · ${lock.said}`} <span className="text-soft">· type a level, [ and ] step, with Shift six at once, Delete takes it out</span>
          </>
        )}
      </p>
      <NotTaken cells={failed} close={() => setFailed([])} />
    </section>
  );
}

interface LineProps {
  id: string;
  index: number;
  name: string;
  names: string;
  points: string;
  states: string;
  held: string;
  at: number;
  minimum: number;
  maximum: number;
  pick: (row: number, column: number) => void;
}

const Line = memo(function Line({ id, index, name, names, points, states, held, at, minimum, maximum, pick }: LineProps) {
  const [columns, now, waits] = [names.split("\t"), states.split("\t"), held.split("\t")];
  return (
    <div role="row" className="flex">
      <div role="rowheader" title={name} className={clsx("w-28 shrink-0 truncate px-1 py-1 text-right text-[12px]", at >= 0 && "font-medium")}>
        {name}
      </div>
      {points.split("\t").map((point, column) => {
        const value = waits[column] || now[column];
        const out = value !== "" && Number(value) <= minimum;
        const share = value === "" ? 0 : (Number(value) - minimum) / (maximum - minimum);
        return (
          <div
            key={point}
            id={`level-${id}-${index}-${column}`}
            role="gridcell"
            aria-label={`${columns[column]} in ${name}: ${value === "" ? "not known" : out ? "out" : value}${waits[column] ? ", held" : ""}`}
            style={{ width: WIDE, backgroundImage: out ? undefined : `linear-gradient(to top, var(--indigo-wash) ${share * 100}%, transparent ${share * 100}%)` }}
            className={clsx("shrink-0 cursor-pointer border-b border-l border-weave py-1 text-center font-mono text-[11.5px]", out && "text-soft", waits[column] && "font-semibold text-weld", at === column && "outline outline-1 -outline-offset-1 outline-indigo")}
            onClick={() => pick(index, column)}
          >
            {value === "" ? "?" : out ? "·" : value}
          </div>
        );
      })}
    </div>
  );
});
