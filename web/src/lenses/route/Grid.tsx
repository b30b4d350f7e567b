import clsx from "clsx";
import { Lock } from "lucide-react";
import { memo, useCallback, useMemo, useRef, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { called, type Column, type GridForm, heldBack, lockOn, moved, type Row, side, signal, type States, toAll, told } from "../../lib/crosspoints";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { LockForm } from "./LockForm";
import { NotTaken } from "./NotTaken";
import { useRoutingChange, useTake } from "./useRouting";

interface Props {
  device: { id: string; name: string };
  grid: GridForm;
  states: States | undefined;
  locks: Schemas["Lock"][];
  /** What is behind each output, by its jack. */
  ends: Record<string, string>;
}

/** Outputs down, inputs across: what is taken is filled, what is held is ringed. Any pointer, or the keyboard alone. */
export function Grid({ device, grid, states, locks, ends }: Props) {
  const [held, setHeld] = useState<Record<string, string>>({});
  const [holds, setHolds] = useState(false);
  const [at, setAt] = useState<[number, number]>();
  const [locking, setLocking] = useState<{ point: string; state: string }>();
  const [failed, setFailed] = useState<Schemas["Taken"][]>([]);
  const area = useRef<HTMLDivElement>(null);
  const known = states ?? {};
  const take = useTake((cells) => {
    setFailed(cells.filter((one) => one.word !== "taken" && one.word !== "same"));
    setHeld((now) => Object.fromEntries(Object.entries(now).filter(([point, state]) => !cells.some((c) => c.point === point && c.wanted === state && (c.word === "taken" || c.word === "same")))));
  });
  const unlock = useRoutingChange((id: number) => got(api.DELETE("/api/routing/locks/{ident}", { params: { path: { ident: String(id) } } })));
  const locked = useCallback((point: string, state?: string) => lockOn(locks, device.id, point, state), [locks, device.id]);
  const waiting = Object.keys(held).length;
  const px = side(grid.columns.length);
  const send = (cells: Record<string, string>) => take.mutate(Object.entries(cells).map(([point, state]) => ({ device: device.id, point, state })));
  const act = (row: Row, column: Column, hold: boolean) => {
    const state = column.state;
    if (!row.drive || locked(row.point, state)) return;
    if (hold || holds) setHeld((now) => (now[row.point] === state ? without(now, row.point) : { ...now, [row.point]: state }));
    else send({ [row.point]: state });
  };
  const place = (event: React.MouseEvent): [number, number] | undefined => {
    const line = (event.target as HTMLElement).closest<HTMLElement>("[data-row]");
    if (!line) return undefined;
    const column = Math.floor((event.clientX - line.getBoundingClientRect().left) / px);
    return column < 0 || column >= grid.columns.length ? undefined : [Number(line.dataset.row), column];
  };
  const keys = (event: React.KeyboardEvent) => {
    const next = moved(at ?? [0, 0], event.key, grid.rows.length, grid.columns.length);
    const [row, column] = [grid.rows[at?.[0] ?? 0], grid.columns[at?.[1] ?? 0]];
    const acts: Record<string, () => void> = {
      Enter: () => (event.ctrlKey && waiting ? send(held) : act(row, column, event.shiftKey)),
      " ": () => act(row, column, true),
      l: () => setLocking({ point: row.point, state: "" }),
      a: () => setHeld({ ...held, ...toAll(grid, column.state, known, (p, s) => !!locked(p, s)) }),
      Delete: () => setHeld({}),
    };
    if (!next && !acts[event.key]) return;
    event.preventDefault();
    event.stopPropagation();
    if (next) setAt(next);
    else acts[event.key]();
  };
  const here = at && { row: grid.rows[at[0]], column: grid.columns[at[1]] };
  return (
    <section aria-label={`${grid.label} of ${device.name}`}>
      <div className="mb-1.5 flex flex-wrap items-center gap-2 text-[12.5px]">
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={holds} onChange={(event) => setHolds(event.target.checked)} className="accent-indigo" /> Hold first, then take together
        </label>
        {waiting > 0 && (
          <>
            <Button look="strong" disabled={take.isPending} onClick={() => send(held)}>
              Take {plural(waiting, "crosspoint")}
            </Button>
            <Button disabled={take.isPending} onClick={() => setHeld({})}>
              Let them be
            </Button>
          </>
        )}
        {take.isPending && <span className="text-soft">taking …</span>}
      </div>
      <div className="max-h-[56vh] overflow-auto rounded-[3px] border border-weave">
        <div
          ref={area}
          role="grid"
          aria-label={grid.label}
          aria-rowcount={grid.rows.length + 1}
          aria-colcount={grid.columns.length + 1}
          aria-activedescendant={at ? cellId(device.id, at) : undefined}
          tabIndex={0}
          className="relative w-max min-w-full outline-offset-[-2px]"
          onKeyDown={keys}
          onFocus={() => !at && setAt([0, 0])}
          onPointerMove={(event) => {
            const over = place(event);
            if (over && (over[0] !== at?.[0] || over[1] !== at?.[1])) setAt(over);
          }}
          onClick={(event) => {
            const over = place(event);
            if (over) act(grid.rows[over[0]], grid.columns[over[1]], event.shiftKey);
          }}
        >
          <div role="row" className="sticky top-0 z-20 flex bg-cloth">
            <div role="columnheader" className="sticky left-0 z-10 w-40 shrink-0 bg-cloth" aria-label="Outputs" />
            {grid.columns.map((one, index) => (
              <Head key={one.state} column={one} px={px} lit={at?.[1] === index} word={signal(one, known)} there={told(one.present, known)} all={() => setHeld({ ...held, ...toAll(grid, one.state, known, (p, s) => !!locked(p, s)) })} />
            ))}
          </div>
          {grid.rows.map((row, index) => (
            <Line
              key={row.point}
              row={row}
              index={index}
              id={device.id}
              px={px}
              columns={grid.columns}
              state={states ? (known[row.point] ?? "") : ""}
              held={held[row.point] ?? ""}
              lock={locked(row.point, "")}
              barred={barredOf(locks, device.id, row.point)}
              there={told(row.present, known)}
              back={heldBack(row, known)}
              end={ends[row.jack] ?? ""}
              at={at?.[0] === index ? at[1] : -1}
            />
          ))}
          {at && <div aria-hidden className="pointer-events-none absolute top-0 bottom-0 bg-indigo/8" style={{ left: 160 + at[1] * px, width: px }} />}
        </div>
      </div>
      <div className="mt-1 flex min-h-8 flex-wrap items-center gap-x-2 gap-y-1 text-[12.5px]">
        {here ? (
          <>
            <span className="min-w-0 flex-1" aria-live="polite">
              {says(here.row, here.column, known, ends, locked(here.row.point, here.column.state))}
            </span>
            {locked(here.row.point, here.column.state) ? (
              <Button disabled={unlock.isPending} onClick={() => unlock.mutate(locked(here.row.point, here.column.state)!.id)}>
                Unlock
              </Button>
            ) : (
              <Button onClick={() => setLocking({ point: here.row.point, state: "" })} title="Lock it as it is (l)">
                <Lock size={12} /> Lock {called(here.row)} …
              </Button>
            )}
          </>
        ) : (
          <span className="text-soft">Click takes, Shift and click holds. By keys: arrows, Enter takes, Space holds, a to all outputs, Ctrl and Enter what is held, l locks.</span>
        )}
      </div>
      {locking && <LockForm device={device.id} grid={grid} point={locking.point} close={() => (setLocking(undefined), area.current?.focus())} />}
      <NotTaken cells={failed} close={() => setFailed([])} />
    </section>
  );
}

const without = (held: Record<string, string>, point: string) => Object.fromEntries(Object.entries(held).filter(([one]) => one !== point));
const cellId = (device: string, [row, column]: [number, number]) => `cell-${device}-${row}-${column}`;

function barredOf(locks: Schemas["Lock"][], device: string, point: string): string {
  return locks.filter((lock) => lock.device === device && lock.point === point && lock.state !== "").map((lock) => lock.state).join(",");
}

function says(row: Row, column: Column, states: States, ends: Record<string, string>, lock: Schemas["Lock"] | undefined): string {
  const now = states[row.point] === column.state ? "is taken" : "is not taken";
  const words = [`${called(column)} to ${called(row)}${ends[row.jack] ? ` (${ends[row.jack]})` : ""} ${now}`, signal(column, states), heldBack(row, states)];
  if (told(row.present, states) === false) words.push("nothing is plugged in there");
  if (lock) words.push(lock.said.replace(/\.$/, ""));
  return words.filter(Boolean).join(" · ");
}

/** What is there: filled; nothing: hollow; not known: dashed. */
function Dot({ there, title }: { there: boolean | null; title: string }) {
  return <span title={title} className={clsx("inline-block size-2 shrink-0 rounded-full border", there ? "border-woad bg-woad" : there === null ? "border-dashed border-warp" : "border-warp")} />;
}

const Head = memo(function Head({ column, px, lit, word, there, all }: { column: Column; px: number; lit: boolean; word: string; there: boolean | null; all: () => void }) {
  const title = `${called(column)}${column.name ? ` (${column.label})` : ""}${word ? `: ${word}` : ""}. Press to hold it for all outputs`;
  return (
    <button type="button" role="columnheader" tabIndex={-1} title={title} aria-label={title} className={clsx("flex h-24 shrink-0 flex-col items-center justify-end gap-1 pb-1 text-[11px]", lit && "bg-indigo/8 font-medium")} style={{ width: px }} onClick={all}>
      <span className="max-h-20 rotate-180 truncate text-left [writing-mode:vertical-rl]">{called(column)}</span>
      {column.present && <Dot there={there} title={word} />}
    </button>
  );
}, alike);

function alike<T extends object>(before: T, now: T): boolean {
  return (Object.keys(now) as (keyof T)[]).every((key) => typeof now[key] === "function" || before[key] === now[key]);
}

interface LineProps {
  row: Row;
  index: number;
  id: string;
  px: number;
  columns: Column[];
  state: string;
  held: string;
  lock: Schemas["Lock"] | undefined;
  barred: string;
  there: boolean | null;
  back: string;
  end: string;
  at: number;
}

/** One output. Cells in which nothing is stand in the pattern behind it, so that a large grid is drawn at once. */
const Line = memo(function Line({ row, index, id, px, columns, state, held, lock, barred, there, back, end, at }: LineProps) {
  const marks = useMemo(() => {
    const found = new Map<number, { taken: boolean; held: boolean; barred: boolean }>();
    const mark = (of: string, what: Partial<{ taken: boolean; held: boolean; barred: boolean }>) => {
      const column = columns.findIndex((one) => one.state === of);
      if (column >= 0) found.set(column, { taken: false, held: false, barred: false, ...found.get(column), ...what });
    };
    for (const one of barred.split(",")) mark(one, { barred: true });
    mark(state, { taken: true });
    mark(held, { held: true });
    return [...found];
  }, [barred, columns, held, state]);
  const title = [called(row), row.name && row.label, end && `leads to ${end}`, back, lock?.said].filter(Boolean).join(" · ");
  const cursor = at >= 0 && !marks.some(([column]) => column === at);
  return (
    <div role="row" className={clsx("flex", at >= 0 && "bg-indigo/8")} style={{ height: px }}>
      <div role="rowheader" title={title} className={clsx("sticky left-0 z-10 flex w-40 shrink-0 items-center gap-1 bg-cloth pr-1.5 text-right leading-none", px < 20 ? "text-[10.5px]" : "text-[12px]", at >= 0 && "font-medium")}>
        <span className="min-w-0 flex-1 truncate pl-1">{end || called(row)}</span>
        {lock && <Lock size={11} className="shrink-0 text-madder" aria-label="locked" />}
        {back && <span className="shrink-0 rounded-[2px] bg-weld-wash px-0.5 text-[10px] text-weld">off</span>}
        {row.present && <Dot there={there} title={there ? "somebody takes it" : there === null ? "not known whether somebody takes it" : "nothing is plugged in"} />}
      </div>
      <div
        data-row={index}
        className="relative shrink-0 cursor-pointer border-b border-weave"
        style={{ width: px * columns.length, backgroundImage: `repeating-linear-gradient(to right, transparent 0 ${px - 1}px, var(--weave) ${px - 1}px ${px}px)` }}
      >
        {marks.map(([column, what]) => (
          <span
            key={column}
            id={cellId(id, [index, column])}
            role="gridcell"
            aria-label={`${called(columns[column])} to ${called(row)}: ${[what.taken && "taken", what.held && "held", what.barred && "kept away"].filter(Boolean).join(", ")}`}
            className="absolute top-0 flex h-full items-center justify-center"
            style={{ left: column * px, width: px - 1 }}
          >
            {what.barred && <span className="text-[11px] leading-none text-madder">×</span>}
            {(what.taken || what.held) && <span className={clsx("rounded-full", px < 20 ? "size-2" : "size-3", what.taken && (back ? "bg-warp" : "bg-indigo"), what.held && "ring-2 ring-weld ring-offset-1 ring-offset-cloth")} />}
          </span>
        ))}
        {cursor && <span id={cellId(id, [index, at])} role="gridcell" aria-label={`${called(columns[at])} to ${called(row)}: not taken`} className="absolute top-0 h-full" style={{ left: at * px, width: px - 1 }} />}
        {at >= 0 && <span aria-hidden className="pointer-events-none absolute top-0 h-full outline outline-1 -outline-offset-1 outline-indigo" style={{ left: at * px, width: px - 1 }} />}
      </div>
    </div>
  );
}, alike);
