import { useMutation } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect, useState } from "react";
import { api, got, type WholeDevice } from "../../api/client";
import { tellProblem } from "../../api/work";
import { live } from "../../lib/live";
import { useStore } from "../../lib/store";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input } from "../../ui/parts";

const LEASE_MS = 20_000;

/** Live states while the device is looked at, and driving. */
export function Points({ device }: { device: WholeDevice }) {
  const states = useStore(live, (l) => l.points[device.id]);
  const trouble = useStore(live, (l) => l.troubles[device.id]);
  const there = device.managed && device.addresses.length > 0 && device.state !== "planned";
  useEffect(() => {
    if (!there) return;
    const look = () =>
      void got(api.POST("/api/devices/{word}/watch", { params: { path: { word: device.id } } }))
        .then((answer) => live.pointed({ device: device.id, states: answer.states }))
        .catch(() => live.pointed({ device: device.id, states: {}, trouble: "The server does not answer." }));
    look();
    const timer = window.setInterval(look, LEASE_MS);
    return () => window.clearInterval(timer);
  }, [device.id, there]);
  const drive = useMutation({
    mutationFn: (to: { point: string; state: string }) =>
      got(api.POST("/api/devices/{word}/drive", { params: { path: { word: device.id } }, body: to })),
    onError: tellProblem,
  });
  if (!device.points.length || !there) return null;
  return (
    <>
      <Heading aside={trouble ? <span className="text-madder">no live states: {trouble}</span> : states ? "live" : "asking …"}>Points</Heading>
      <ul className="grid max-h-[300px] shrink-0 grid-cols-1 gap-x-4 @md:grid-cols-2 gap-y-0.5 overflow-y-auto">
        {device.points.map((point) => {
          const known = !trouble && states ? states[point.short] : undefined;
          const state = known ?? "unknown";
          return (
            <li key={point.short} data-point={point.short} className={clsx("flex min-h-7 items-center gap-2 text-[12.5px]", !point.states.length && "col-span-2")}>
              <PointMark on={point.states.length === 2 && state === point.states[1]} known={known !== undefined} kind={point.kind} />
              <span className="min-w-0 flex-1 truncate" title={point.label}>
                {point.label}
              </span>
              {point.live && !listed(point) && <State point={point} state={state} />}
              {point.drive && <Drive point={point} state={state} busy={drive.isPending} to={(next) => drive.mutate({ point: point.short, state: next })} />}
            </li>
          );
        })}
      </ul>
    </>
  );
}

const ASK_FIRST = new Set(["door", "power"]);

type Point = WholeDevice["points"][number];

/** Whether its state shows in the list by which it is driven. */
function listed(point: Point): boolean {
  return point.drive && point.targets.length > 2;
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
function PointMark({ on, known, kind }: { on: boolean; known: boolean; kind: string }) {
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
