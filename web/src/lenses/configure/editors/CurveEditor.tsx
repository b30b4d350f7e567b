import { useRef, useState } from "react";
import { Button } from "../../../ui/Button";
import { type EditorProps, VARIOUS } from "./editor";

interface Axis {
  label: string;
  minimum: number;
  maximum: number;
  step: number;
  unit: string;
}
type Point = [number, number];
const WIDTH = 220;
const HEIGHT = 120;
const EDGE = 10;

/** A curve as a plot: its points are dragged, or moved with the arrow keys. Nothing is decided until it is said. */
export function CurveEditor({ setting, value, set, forget }: EditorProps) {
  const x = setting.limits.x as Axis;
  const y = setting.limits.y as Axis;
  const told = (value === null || value === VARIOUS ? setting.running : value) as Point[] | null;
  const [points, setPoints] = useState<Point[] | null>(null);
  const plot = useRef<SVGSVGElement>(null);
  const dragged = useRef<number | null>(null);
  const shown = points ?? told;
  if (!shown?.length) return <span className="text-soft">{value === VARIOUS ? "various" : "not read yet"}</span>;
  const left = (at: number) => EDGE + ((at - x.minimum) / (x.maximum - x.minimum)) * (WIDTH - 2 * EDGE);
  const top = (at: number) => HEIGHT - EDGE - ((at - y.minimum) / (y.maximum - y.minimum)) * (HEIGHT - 2 * EDGE);
  const move = (index: number, to: Point) => {
    const low = index ? shown[index - 1][0] + x.step : x.minimum;
    const high = index < shown.length - 1 ? shown[index + 1][0] - x.step : x.maximum;
    const steady = setting.limits.steady;
    const floor = steady && index ? shown[index - 1][1] : y.minimum;
    const ceiling = steady && index < shown.length - 1 ? shown[index + 1][1] : y.maximum;
    const placed: Point = [stepped(to[0], low, high, x.step), stepped(to[1], floor, ceiling, y.step)];
    setPoints(shown.map((point, at) => (at === index ? placed : point)));
  };
  return (
    <div>
      <svg
        ref={plot}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full max-w-[260px] touch-none border border-weave bg-cloth"
        onPointerMove={(event) => {
          if (dragged.current === null || !plot.current) return;
          const box = plot.current.getBoundingClientRect();
          const px = ((event.clientX - box.left) / box.width) * WIDTH;
          const py = ((event.clientY - box.top) / box.height) * HEIGHT;
          move(dragged.current, [
            x.minimum + ((px - EDGE) / (WIDTH - 2 * EDGE)) * (x.maximum - x.minimum),
            y.minimum + ((HEIGHT - EDGE - py) / (HEIGHT - 2 * EDGE)) * (y.maximum - y.minimum),
          ]);
        }}
        onPointerUp={() => (dragged.current = null)}
        onPointerLeave={() => (dragged.current = null)}
      >
        <polyline points={shown.map(([a, b]) => `${left(a)},${top(b)}`).join(" ")} fill="none" stroke="currentColor" className="text-indigo" strokeWidth="1.5" />
        {shown.map(([a, b], index) => (
          <circle
            key={index}
            cx={left(a)}
            cy={top(b)}
            r="5"
            tabIndex={0}
            role="slider"
            aria-label={`${setting.label}, point ${index + 1}`}
            aria-valuenow={b}
            aria-valuetext={`${a} ${x.unit}, ${b} ${y.unit}`}
            className="cursor-grab fill-indigo focus:outline-2 focus:outline-indigo"
            onPointerDown={() => (dragged.current = index)}
            onKeyDown={(event) => {
              const by = event.shiftKey ? 10 : 1;
              const to = { ArrowUp: [0, by], ArrowDown: [0, -by], ArrowRight: [by, 0], ArrowLeft: [-by, 0] }[event.key];
              if (!to) return;
              event.preventDefault();
              move(index, [a + to[0] * x.step, b + to[1] * y.step]);
            }}
          />
        ))}
      </svg>
      <p className="text-[11px] text-soft">
        {shown.map(([a, b]) => `${a} → ${b}`).join(", ")} {y.unit}
      </p>
      <span className="flex gap-1">
        {points && (
          <>
            <Button className="!px-1 !py-0" onClick={() => (set(setting.path, points), setPoints(null))}>
              decide
            </Button>
            <Button className="!px-1 !py-0" onClick={() => setPoints(null)}>
              leave
            </Button>
          </>
        )}
        {!points && value !== null && value !== VARIOUS && (
          <Button className="!px-1 !py-0" onClick={() => forget(setting.path)}>
            as it is
          </Button>
        )}
      </span>
    </div>
  );
}

function stepped(value: number, low: number, high: number, step: number): number {
  const placed = Math.round(Math.min(Math.max(value, low), high) / step) * step;
  return Number(placed.toFixed(6));
}
