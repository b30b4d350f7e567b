import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { api, type Device, got } from "../api/client";
import { devicesQuery } from "../api/queries";
import { notKept, unkept } from "../lib/leaving";
import { place } from "../lib/place";
import { Button } from "../ui/Button";
import { Heading } from "../ui/parts";

const NAMED = 6;
let answered = false; // whoever signs out was asked already

/** The way out. What runs and would be gone at the next power cut is named first. */
export function Leave() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const devices = unkept(useQuery(devicesQuery).data ?? []);
  const show = () => {
    place.set({ selected: new Set(devices.map((d) => d.id)), cursor: devices[0].id, todo: false });
    void navigate("/configure");
  };
  const out = () =>
    void got(api.DELETE("/api/session")).finally(() => {
      answered = true;
      client.clear();
      location.assign("/");
    });
  return (
    <>
      <Heading>Leave</Heading>
      {devices.length > 0 && (
        <div className="mb-2 rounded-[3px] border border-weld bg-weld-wash/40 px-3 py-2 text-[13px]">
          <p className="font-medium">{notKept(devices)}</p>
          <ul className="my-1">
            {devices.length > 1 && devices.slice(0, NAMED).map((d) => (
              <li key={d.id}>
                {d.name}: {d.counts.unkept}
              </li>
            ))}
            {devices.length > NAMED && <li>and {devices.length - NAMED} more</li>}
          </ul>
          <Button onClick={show}>Show what would be lost</Button>
        </div>
      )}
      <Button onClick={out}>{devices.length ? "Sign out all the same" : "Sign out"}</Button>
    </>
  );
}

/** Closing the page asks, too, where more is not kept now than when it was opened: the browser has its own words for that. */
export function useLeaving(devices: Device[] | undefined): void {
  const begun = useRef<number | undefined>(undefined);
  const now = devices && unkept(devices).reduce((sum, d) => sum + d.counts.unkept, 0);
  useEffect(() => {
    if (now === undefined) return;
    begun.current ??= now;
    if (now <= begun.current) return;
    const ask = (event: BeforeUnloadEvent) => {
      if (!answered) event.preventDefault();
    };
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [now]);
}
