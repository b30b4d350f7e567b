import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { api, got, type Schemas } from "../../api/client";
import { tellProblem } from "../../api/work";
import { live } from "../../lib/live";
import { useStore } from "../../lib/store";

const CALM_MS = 250;

/** A change of what is recorded of routing; whatever came of it, it is all read anew. */
export function useRoutingChange<T>(change: (input: T) => Promise<unknown>, done?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => done?.(),
    onError: tellProblem,
    onSettled: () => client.invalidateQueries({ queryKey: ["routing"] }),
  });
}

export interface Cell {
  device: string;
  point: string;
  state: string;
}

/** Takes cells at once; the states that came of it are on the screen before the next event. */
export function useTake(done: (cells: Schemas["Taken"][]) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (cells: Cell[]) => (await got(api.POST("/api/routing/take", { body: { cells } }))).cells,
    onSuccess: (cells) => {
      show(cells);
      done(cells);
    },
    onError: tellProblem,
    onSettled: () => {
      for (const what of ["preset", "presets", "edids-at"]) void client.invalidateQueries({ queryKey: ["routing", what] });
    },
  });
}

export function show(cells: Schemas["Taken"][]): void {
  const states: Record<string, Record<string, string>> = {};
  for (const one of cells) if (one.now) (states[one.device] ??= {})[one.point] = one.now;
  for (const [device, told] of Object.entries(states)) live.pointed({ device, states: told });
}

/** Whatever changes on one of these devices may change where pictures go: looked at again when it is calm. */
export function useAgainOnChange(devices: string[], again: () => void): void {
  const changed = useStore(live, (l) => l.changed);
  const troubles = useStore(live, (l) => l.troubles);
  const known = useStore(live, (l) => devices.filter((id) => l.points[id]).length);
  const key = useMemo(() => devices.map((id) => `${Math.max(0, ...Object.values(changed[id] ?? {}))} ${troubles[id] ?? ""}`).join(), [devices, changed, troubles]);
  useEffect(() => {
    const timer = window.setTimeout(again, CALM_MS);
    return () => window.clearTimeout(timer);
  }, [key, known, again]);
}
