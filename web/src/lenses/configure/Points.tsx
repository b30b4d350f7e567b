import clsx from "clsx";
import type { WholeDevice } from "../../api/client";
import { Heading } from "../../ui/parts";
import { type Live, PointMark, PointNow } from "./PointNow";

/** Live states, and driving, of those points that stand beside no setting. */
export function Points({ device, points, beside }: { device: WholeDevice; points: Live; beside: Set<string> }) {
  if (!device.points.length || !points.there) return null;
  const alone = device.points.filter((point) => !beside.has(point.short));
  const { trouble, states } = points;
  if (!alone.length && !trouble) return null;
  return (
    <>
      <Heading aside={trouble ? <span className="text-madder">no live states: {trouble}</span> : states ? "live" : "asking …"}>Points</Heading>
      <ul className="grid max-h-[300px] shrink-0 grid-cols-1 gap-x-4 @md:grid-cols-2 gap-y-0.5 overflow-y-auto">
        {alone.map((point) => {
          const known = states?.[point.short];
          return (
            <li key={point.short} data-point={point.short} className={clsx("flex min-h-7 items-center gap-2 text-[12.5px]", !point.states.length && "col-span-2")}>
              <PointMark on={point.states.length === 2 && known === point.states[1]} known={known !== undefined} kind={point.kind} />
              <span className="min-w-0 flex-1 truncate" title={point.label}>
                {point.label}
              </span>
              <PointNow point={point} points={points} />
            </li>
          );
        })}
      </ul>
    </>
  );
}
