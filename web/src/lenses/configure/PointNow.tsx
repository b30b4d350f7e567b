import { useMutation, useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { Activity } from "lucide-react";
import { useState } from "react";
import { api, got, type WholeDevice } from "../../api/client";
import { monitorQuery } from "../../api/queries";
import { tellProblem, useChange } from "../../api/work";
import { live } from "../../lib/live";
import { useStore } from "../../lib/store";
import { useWatched } from "../../lib/watching";
import { Button } from "../../ui/Button";
import { Choice, Input, When } from "../../ui/parts";
import { HoldPulse } from "./HoldPulse";

/** Live states of a device while somebody looks at it, and driving; `there` is whether it can be asked at all. */
export function usePoints(device: WholeDevice | undefined) {
  const id = device?.id ?? "";
  const changed = useStore(live, (l) => l.changed[id]);
  const rates = useStore(live, (l) => l.rates[id]);
  const there = !!device?.points.length && device.managed && device.addresses.length > 0 && device.state !== "planned";
  const { states, trouble } = useWatched(id, there);
  const drive = useMutation({
    mutationFn: (to: { point: string; state: string }) => got(api.POST("/api/devices/{word}/drive", { params: { path: { word: id } }, body: to })),
    onError: tellProblem,
  });
  return { device: id, states, changed: changed ?? {}, rates: rates ?? {}, trouble, there, drive };
}

export type Live = ReturnType<typeof usePoints>;

/** One point: its mark, its state and since when, and what drives it. */
export function PointNow({ point, points }: { point: Point; points: Live }) {
  const known = points.states?.[point.short];
  const state = known ?? "unknown";
  const at = points.changed[point.short];
  return (
    <>
      {point.live && !listed(point) && (
        <span className="flex shrink-0 items-baseline gap-1.5">
          {point.kind === "counter" ? <Rate point={point} state={state} rate={points.rates[point.short]} /> : <State point={point} state={state} />}
          {at && point.kind !== "counter" && (
            <span className="text-[11px] text-soft">
              <When at={new Date(at).toISOString()} />
            </span>
          )}
        </span>
      )}
      {point.drive && <Drive point={point} state={state} busy={points.drive.isPending} to={(next) => points.drive.mutate({ point: point.short, state: next })} />}
      {point.live && <Record device={points.device} point={point} />}
      {point.drive && point.live && point.targets.length === 2 && (
        <HoldPulse device={points.device} point={point} to={point.targets[1]} disabled={state === "unknown"} />
      )}
    </>
  );
}

/** Puts a point into the monitor, or takes it out of there. */
function Record({ device, point }: { device: string; point: Point }) {
  const { data } = useQuery(monitorQuery(60));
  const there = data?.points.find((one) => one.device === device && one.point === point.short);
  const change = useChange(() =>
    there
      ? got(api.DELETE("/api/monitor/{ident}", { params: { path: { ident: String(there.id) } } }))
      : got(api.POST("/api/monitor", { body: { points: [{ device, point: point.short }] } })),
  );
  const words = there ? `Record ${point.label} no more` : `Record ${point.label}`;
  return (
    <button type="button" aria-label={words} aria-pressed={!!there} title={`${words}: see the point monitor, with nothing selected`} disabled={!data || change.isPending} className={clsx("shrink-0 p-0.5", there ? "text-indigo" : "text-soft opacity-60 hover:opacity-100")} onClick={() => change.mutate(undefined)}>
      <Activity size={13} />
    </button>
  );
}

const ASK_FIRST = new Set(["door", "power"]);

export type Point = WholeDevice["points"][number];

/** Whether its state shows in the list by which it is driven. */
function listed(point: Point): boolean {
  return point.drive && point.targets.length > 2;
}

/** What only grows, as how fast it does; all of it in the title. */
function Rate({ point, state, rate }: { point: Point; state: string; rate: number | undefined }) {
  const bits = point.unit === "B" ? 8 : 1;
  const words = rate === undefined ? "…" : scaled(rate * bits, point.unit === "B" ? "bit/s" : `${point.unit}/s`);
  return (
    <span className="shrink-0 text-right font-mono text-soft" title={`${state} ${point.unit} since it started`}>
      {state === "unknown" ? state : words}
    </span>
  );
}

const STEPS = ["", "k", "M", "G"];

function scaled(value: number, unit: string): string {
  const step = Math.min(Math.floor(Math.log10(Math.max(value, 1)) / 3), STEPS.length - 1);
  return `${(value / 1000 ** step).toFixed(step ? 1 : 0)} ${STEPS[step]}${unit}`;
}

function State({ point, state }: { point: Point; state: string }) {
  const strong = point.states.length > 1 && state !== "unknown" && state !== point.states[0];
  const word = point.states.length === 2 ? state : (point.words[state] ?? state);
  return <span className={clsx("shrink-0 text-right", strong ? "font-semibold text-ink" : "text-soft", !point.states.length && "font-mono")}>{state === "unknown" ? state : `${word} ${point.unit}`.trim()}</span>;
}

/** Two states have a button to the other one, more a list, a number or a text its field. */
function Drive({ point, state, busy, to }: { point: Point; state: string; busy: boolean; to: (state: string) => void }) {
  const [text, setText] = useState("");
  const title = point.disturbs.length ? `Disturbs: ${point.disturbs.join(", ")}` : undefined;
  const blind = point.live && state === "unknown";
  const [asked, setAsked] = useState("");
  const first = point.disturbs.filter((what) => ASK_FIRST.has(what));
  // What moves or powers something asks before it does, by name.
  const act = (next: string) => (first.length ? setAsked(next) : to(next));
  if (asked)
    return (
      <span role="alertdialog" aria-label={`Drive ${point.label} ${asked}?`} className="flex items-center gap-1">
        <span className="text-[12px] text-madder">moves {first.join(" and ")}:</span>
        <Button look="grave" autoFocus className="!px-1.5 !py-0" onClick={() => (setAsked(""), to(asked))}>
          {point.words[asked] ?? asked}
        </Button>
        <Button className="!px-1.5 !py-0" onClick={() => setAsked("")}>
          no
        </Button>
      </span>
    );
  if (point.targets.length === 2 && point.live) {
    const other = state === point.targets[1] ? point.targets[0] : point.targets[1];
    return (
      <Button disabled={busy || blind} title={title} aria-label={`Drive ${point.label} ${other}`} className="min-w-12 justify-center !px-1 !py-0" onClick={() => act(other)}>
        {other}
      </Button>
    );
  }
  if (point.targets.length)
    return (
      <Choice aria-label={`Drive ${point.label}`} title={title} disabled={busy || blind} value={point.targets.includes(state) ? state : ""} className="max-w-32 !py-0" onChange={(event) => event.target.value && act(event.target.value)}>
        <option value="">{state === "unknown" || !point.live ? "drive …" : (point.words[state] ?? state)}</option>
        {point.targets.map((one) => (
          <option key={one} value={one}>
            {point.words[one] ?? one}
          </option>
        ))}
      </Choice>
    );
  return (
    <form
      className="flex gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (text) act(text);
      }}
    >
      <Input aria-label={`Drive ${point.label}`} title={title} value={text} onChange={(event) => setText(event.target.value)} className="w-32 !py-0" />
      <Button type="submit" disabled={busy || !text} className="!px-1 !py-0">
        set
      </Button>
    </form>
  );
}

/** A contact: closed when on, open when off; a lying bar for inputs that rest. */
export function PointMark({ on, known, kind }: { on: boolean; known: boolean; kind: string }) {
  return (
    <svg width="22" height="12" viewBox="0 0 22 12" aria-hidden className={on ? "text-indigo" : "text-soft"}>
      <g stroke="currentColor" strokeWidth="1.8" fill="none">
        <path d="M1 9h6M15 9h6" />
        {known ? on ? <path d="M7 9h8" strokeWidth="2.6" /> : <path d="M7 9l7-6" /> : <path d="M8 9h1M11 9h1M14 9h1" />}
        {kind === "relay" && <circle cx="7" cy="9" r="1.3" fill="currentColor" />}
      </g>
    </svg>
  );
}
