import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect } from "react";
import { api, type Device, got } from "../api/client";
import { profilesQuery } from "../api/queries";
import { live } from "../lib/live";
import { useStore } from "../lib/store";
import { ago } from "../lib/words";

const LEASE_MS = 20_000;
const GATHER_MS = 250;
const MOST = 200;

/** The devices of which live states are on the screen; they are asked for together. */
const seen = new Map<string, number>();
let timer: number | undefined;

function soon(): void {
  timer ??= window.setTimeout(ask, GATHER_MS);
}

function ask(): void {
  window.clearTimeout(timer);
  timer = seen.size ? window.setTimeout(ask, LEASE_MS) : undefined;
  const devices = [...seen.keys()].slice(0, MOST);
  if (!devices.length) return;
  void got(api.POST("/api/watch", { body: { devices } }))
    .then(({ states }) => {
      for (const [device, told] of Object.entries(states)) if (Object.keys(told).length) live.pointed({ device, states: told });
    })
    .catch(() => undefined); // the next turn asks again; that the server is away is told at the top
}

function useSeen(device: string): void {
  useEffect(() => {
    seen.set(device, (seen.get(device) ?? 0) + 1);
    window.clearTimeout(timer);
    timer = undefined;
    soon();
    return () => {
      const left = (seen.get(device) ?? 1) - 1;
      if (left) seen.set(device, left);
      else seen.delete(device);
    };
  }, [device]);
}

/** A device's relays and inputs, small: filled where one is not at rest, dashed where nobody knows. */
export function Lit({ device }: { device: Device }) {
  const marks = useQuery(profilesQuery).data?.find((one) => one.id === device.profile)?.marks;
  if (!marks?.length || device.state !== "known" || !device.managed) return null;
  return <Marks device={device.id} marks={marks} />;
}

function Marks({ device, marks }: { device: string; marks: { point: string; label: string; rest: string }[] }) {
  useSeen(device);
  const states = useStore(live, (l) => l.points[device]);
  const changed = useStore(live, (l) => l.changed[device]);
  const trouble = useStore(live, (l) => l.troubles[device]);
  const told = marks.filter((one) => states?.[one.point] !== undefined && states[one.point] !== one.rest);
  const words = trouble || !states ? (trouble ?? "asking") : told.map((one) => `${one.label} ${states[one.point]}${changed?.[one.point] ? `, ${ago(new Date(changed[one.point]).toISOString())}` : ""}`).join(" · ") || "all at rest";
  return (
    <span role="img" aria-label={words} title={words} data-lit={device} className={clsx("grid shrink-0 gap-[2px]", marks.length > 4 ? "grid-cols-[repeat(8,5px)]" : "grid-cols-[repeat(4,5px)]")}>
      {marks.map((one) => {
        const state = trouble ? undefined : states?.[one.point];
        return <span key={one.point} className={clsx("h-2 w-[5px] rounded-[1px] border", state === undefined ? "border-dashed border-warp" : state === one.rest ? "border-warp" : "border-indigo bg-indigo")} />;
      })}
    </span>
  );
}
