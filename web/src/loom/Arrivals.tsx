import { memo, useMemo } from "react";
import type { Device, Line } from "../api/client";
import { shortAddress } from "../lib/knots";
import { live } from "../lib/live";
import { useStore } from "../lib/store";
import { Mark } from "../ui/Mark";

const ARRIVALS_SHOWN = 60;
const NOBODY: Record<string, string> = {};

/** Addresses of a line that have answered the sweep under way, with who they say they are. */
export function useAnswered(line: string): Record<string, string> {
  return useStore(live, (l) => (l.going ? (l.answered[line] ?? NOBODY) : NOBODY));
}

/** Who answers the sweep under way and has no knot yet; below the knots, so that nothing jumps. */
export function Arrivals({ line, devices }: { line: Line; devices: Device[] }) {
  const answered = useAnswered(line.id);
  const taken = useMemo(
    () => new Set(devices.flatMap((d) => d.addresses.filter((p) => p.line_id === line.id).map((p) => p.address))),
    [devices, line.id],
  );
  const arrived = Object.entries(answered).filter(([address]) => !taken.has(address));
  if (!arrived.length) return null;
  return (
    <ul aria-label={`Arriving on ${line.name}`}>
      {arrived.slice(0, ARRIVALS_SHOWN).map(([address, who]) => (
        <Arrival key={address} address={address} who={who} />
      ))}
      {arrived.length > ARRIVALS_SHOWN && <li className="pl-[74px] text-[12px] text-soft">and {arrived.length - ARRIVALS_SHOWN} more</li>}
    </ul>
  );
}

const Arrival = memo(function Arrival({ address, who }: { address: string; who: string }) {
  return (
    <li className="grid h-[26px] grid-cols-[46px_16px_1fr] items-center gap-x-1.5 text-[13px]">
      <span className="text-right font-mono text-[12.5px]">{shortAddress(address)}</span>
      <Mark shape="open" tone="indigo" />
      <span className="truncate pl-1 italic">{who || "somebody answers"}</span>
    </li>
  );
});
