import { useMemo, useRef } from "react";
import type { Device } from "../api/client";
import { orderIn, sortedOut, type Warp } from "../lib/warp";

export type Strands = ReadonlyMap<string, Device[]>;

/** Devices by strand. A strand of which nobody changed is the very same list as before, so that it is not drawn again. */
export function useStrands(warps: Warp[], devices: Device[]): Strands {
  const before = useRef<Strands>(new Map());
  return useMemo(() => (before.current = sortedOut(warps, devices, before.current)), [warps, devices]);
}

/** All that hangs there from the first strand to the last; the very same list while the order stays. */
export function useOrdered(warps: Warp[], strands: Strands): string[] {
  const before = useRef<string[]>([]);
  return useMemo(() => {
    const now = orderIn(warps, strands).flat();
    const old = before.current;
    return (before.current = now.length === old.length && now.every((id, at) => id === old[at]) ? old : now);
  }, [warps, strands]);
}
