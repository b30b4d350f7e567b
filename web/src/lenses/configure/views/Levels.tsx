import type { WholeDevice } from "../../../api/client";
import { live } from "../../../lib/live";
import { scaled } from "../../../lib/scales";
import { useStore } from "../../../lib/store";

type View = WholeDevice["face"]["views"][number];

/** A bank of levels side by side: what runs below, what is decided on the slider, what is measured now beside it. */
export function Levels({ device, view, set }: { device: WholeDevice; view: View; set: (path: string, value: unknown) => void }) {
  const places = device.face.axes[view.across] ?? [];
  const cells = new Map(device.settings.filter((s) => s.item === view.item).map((s) => [s.place[view.across], s]));
  const states = useStore(live, (l) => (l.troubles[device.id] ? undefined : l.points[device.id]));
  const meters = new Map(device.points.filter((point) => view.meter && point.item === view.meter).map((point) => [point.place[view.across], point]));
  return (
    <div className="flex gap-2 overflow-x-auto pb-1" role="group" aria-label={view.label}>
      {places.map((place) => {
        const setting = cells.get(place.number);
        if (!setting) return null;
        const meter = meters.get(place.number);
        const { minimum = 0, maximum = 1, step = 1 } = setting.limits;
        const running = typeof setting.running === "number" ? setting.running : null;
        const decided = typeof setting.intended === "number" ? setting.intended : running;
        const value = decided ?? minimum; // where the slider stands while nothing is known
        return (
          <label key={place.number} className="flex w-12 shrink-0 flex-col items-center gap-1 text-center text-[11px]" title={decided === null ? "not read yet" : scaled(decided, setting.shown)}>
            <span className="font-mono">{decided ?? "–"}</span>
            <span className="flex items-end gap-1">
              <input
                type="range"
                aria-label={`Intended ${setting.label}`}
                min={minimum}
                max={maximum}
                step={step}
                defaultValue={value}
                key={value}
                className="h-24 w-4 accent-indigo [writing-mode:vertical-lr] [direction:rtl]"
                onPointerUp={(event) => set(setting.path, Number(event.currentTarget.value))}
                onKeyUp={(event) => set(setting.path, Number(event.currentTarget.value))}
              />
              {meter && <Meter point={meter} state={states?.[meter.short]} />}
            </span>
            <span className="text-soft">{running ?? "–"}</span>
            <span className="w-full truncate" title={place.label}>
              {place.label}
            </span>
          </label>
        );
      })}
    </div>
  );
}

/** What is measured, as a bar on the meter's own range; the figure for who cannot see it. */
function Meter({ point, state }: { point: WholeDevice["points"][number]; state: string | undefined }) {
  const value = state === undefined ? Number.NaN : Number(state);
  const { minimum, maximum } = point.limits;
  const share = Number.isNaN(value) || minimum === null || maximum === null ? 0 : Math.min(Math.max((value - minimum) / (maximum - minimum), 0), 1);
  const words = Number.isNaN(value) ? "not told" : `${value} ${point.unit}`;
  return (
    <span
      role="meter"
      aria-label={`${point.label}, measured`}
      aria-valuemin={minimum ?? 0}
      aria-valuemax={maximum ?? 1}
      aria-valuenow={Number.isNaN(value) ? undefined : value}
      aria-valuetext={words}
      title={words}
      className="flex h-24 w-1.5 flex-col justify-end border border-weave bg-ground"
    >
      <span className="bg-woad" style={{ height: `${share * 100}%` }} />
    </span>
  );
}
