import { useEffect } from "react";
import { api, asProblem, got } from "../api/client";
import { live } from "./live";
import { useStore } from "./store";

const LEASE_MS = 20_000;

/** Live states of a device while somebody looks at it, or why nobody knows them; `there` is whether it can be asked. */
export function useWatched(device: string, there = true): { states: Record<string, string> | undefined; trouble: string | undefined } {
  const states = useStore(live, (l) => l.points[device]);
  const trouble = useStore(live, (l) => l.troubles[device]);
  useEffect(() => {
    if (!there) return;
    const look = () =>
      void got(api.POST("/api/devices/{word}/watch", { params: { path: { word: device } } }))
        .then((answer) => live.pointed({ device, states: answer.states }))
        .catch((error) => {
          const { code, message } = asProblem(error);
          live.pointed({ device, states: {}, trouble: code === "offline" ? "The server does not answer." : message });
        });
    look();
    const timer = window.setInterval(look, LEASE_MS);
    return () => window.clearInterval(timer);
  }, [device, there]);
  return { states: trouble ? undefined : states, trouble };
}
