import clsx from "clsx";
import type { Shape, Tone } from "../lib/knots";

export const INK: Record<Tone, string> = {
  ink: "text-ink",
  indigo: "text-indigo",
  madder: "text-madder",
  weld: "text-weld",
  woad: "text-woad",
  soft: "text-soft",
};

/** A knot's mark. The shape tells the state; colour only repeats it. */
export function Mark({ shape, tone, size = 16 }: { shape: Shape; tone: Tone; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" aria-hidden className={clsx("shrink-0", INK[tone])}>
      <g fill="none" stroke="currentColor" strokeWidth="1.8">
        {shape === "whole" && <rect x="3.2" y="3.2" width="9.6" height="9.6" rx="2" transform="rotate(45 8 8)" fill="currentColor" />}
        {shape === "open" && (
          <>
            <rect x="3.2" y="3.2" width="9.6" height="9.6" rx="2" transform="rotate(45 8 8)" className="fill-cloth" />
            <path d="M8 5.4v5.2M5.4 8h5.2" />
          </>
        )}
        {shape === "dashed" && (
          <rect x="3.2" y="3.2" width="9.6" height="9.6" rx="2" transform="rotate(45 8 8)" strokeDasharray="2.6 2" className="fill-cloth" />
        )}
        {shape === "half" && (
          <>
            <rect x="3.2" y="3.2" width="9.6" height="9.6" rx="2" transform="rotate(45 8 8)" className="fill-cloth" />
            <path d="M8 1.6 14.4 8 8 14.4z" fill="currentColor" stroke="none" />
          </>
        )}
        {shape === "twin" && (
          <>
            <rect x="1.8" y="4.4" width="7" height="7" rx="1.4" transform="rotate(45 5.3 8)" className="fill-cloth" />
            <rect x="7.2" y="4.4" width="7" height="7" rx="1.4" transform="rotate(45 10.7 8)" fill="currentColor" />
          </>
        )}
        {shape === "tail" && (
          <>
            <rect x="5" y="3.6" width="8.2" height="8.2" rx="1.8" transform="rotate(45 9 8)" fill="currentColor" />
            <path d="M0 8h4" />
          </>
        )}
        {shape === "asked" && (
          <>
            <rect x="3.2" y="3.2" width="9.6" height="9.6" rx="2" transform="rotate(45 8 8)" className="fill-cloth" />
            <path d="M6.4 6.6c.2-2 3.4-1.8 3.2.1C9.5 7.9 8 7.7 8 9.2M8 10.6v.9" strokeWidth="1.5" />
          </>
        )}
      </g>
    </svg>
  );
}
