import { memo } from "react";
import { heightOf, type Stretch, spanOf, seconds } from "../../../lib/strips";

const HIGH = 22;
const WIDE = 1000;

interface Props {
  those: Stretch[];
  states: string[];
  from: number;
  to: number;
  words: Record<string, string>;
  label: string;
}

/** One point over time: a step for each change, hatched where nobody could tell it. */
export const Strip = memo(function Strip({ those, states, from, to, words, label }: Props) {
  const x = (time: number) => ((time - from) / (to - from)) * WIDE;
  const numbers = states.length > 1 ? undefined : spanOf(those);
  const y = (state: string) => HIGH - 3 - heightOf(state, states, numbers) * (HIGH - 6);
  let path = "";
  let last = "";
  for (const one of those) {
    if (one.state === "") {
      last = "";
      continue;
    }
    path += `${last === "" ? "M" : "L"}${x(one.from).toFixed(1)} ${y(one.state).toFixed(1)} L${x(one.to).toFixed(1)} ${y(one.state).toFixed(1)}`;
    last = one.state;
  }
  const told = (one: Stretch) => `${words[one.state] ?? (one.state || "not known")}, ${seconds(one.to - one.from)}${one.cause ? `, driven by ${one.cause}` : ""}, from ${new Date(one.from * 1000).toLocaleTimeString()}`;
  return (
    <svg viewBox={`0 0 ${WIDE} ${HIGH}`} preserveAspectRatio="none" className="h-[22px] w-full bg-ground/50" role="img" aria-label={label}>
      {those.map((one) => (
        <rect
          key={`${one.from} ${one.state}`}
          x={x(one.from)}
          width={Math.max(x(one.to) - x(one.from), 0.5)}
          y={0}
          height={HIGH}
          className={one.state === "" ? "fill-warp/30" : states.length > 1 && one.state !== states[0] ? "fill-indigo/20" : "fill-transparent"}
        >
          <title>{told(one)}</title>
        </rect>
      ))}
      <path d={path} fill="none" className="pointer-events-none stroke-indigo" strokeWidth="1.6" vectorEffect="non-scaling-stroke" />
    </svg>
  );
});
