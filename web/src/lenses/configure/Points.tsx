import { useMutation } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect } from "react";
import { api, got, type WholeDevice } from "../../api/client";
import { tellProblem } from "../../api/work";
import { live } from "../../lib/live";
import { useStore } from "../../lib/store";
import { Button } from "../../ui/Button";
import { Heading } from "../../ui/parts";

const LEASE_MS = 20_000;

/** Live states while the device is looked at, and driving. */
export function Points({ device }: { device: WholeDevice }) {
  const states = useStore(live, (l) => l.points[device.id]);
  const trouble = useStore(live, (l) => l.troubles[device.id]);
  const there = !!device.serial;
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
      <ul className="grid grid-cols-2 gap-x-4 gap-y-0.5">
        {device.points.map((point) => {
          const state = (!trouble && states?.[point.id]) || "unknown";
          const on = state === point.states[1];
          const other = on ? point.states[0] : point.states[1];
          return (
            <li key={point.id} data-point={point.id} className="flex h-7 items-center gap-2 text-[12.5px]">
              <PointMark on={on} known={state !== "unknown"} kind={point.kind} />
              <span className="min-w-0 flex-1 truncate" title={point.label}>
                {point.label}
              </span>
              <span className={clsx("w-14 text-right", on ? "font-semibold text-ink" : "text-soft")}>{state}</span>
              {point.drive && (
                <Button
                  disabled={drive.isPending || state === "unknown"}
                  title={point.disturbs.length ? `Disturbs: ${point.disturbs.join(", ")}` : undefined}
                  aria-label={`Drive ${point.label} ${other}`}
                  className="w-12 justify-center !px-1 !py-0"
                  onClick={() => drive.mutate({ point: point.id, state: other })}
                >
                  {other}
                </Button>
              )}
            </li>
          );
        })}
      </ul>
    </>
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
