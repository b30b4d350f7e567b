import type { WholeDevice } from "../../../api/client";
import { scaled } from "../../../lib/scales";

type View = WholeDevice["face"]["views"][number];

/** A bank of levels side by side: what runs as a bar, what is decided on the slider. */
export function Levels({ device, view, set }: { device: WholeDevice; view: View; set: (path: string, value: unknown) => void }) {
  const places = device.face.axes[view.across] ?? [];
  const cells = new Map(device.settings.filter((s) => s.item === view.item).map((s) => [s.place[view.across], s]));
  return (
    <div className="flex gap-2 overflow-x-auto pb-1" role="group" aria-label={view.label}>
      {places.map((place) => {
        const setting = cells.get(place.number);
        if (!setting) return null;
        const { minimum = 0, maximum = 1, step = 1 } = setting.limits;
        const running = typeof setting.running === "number" ? setting.running : null;
        const value = typeof setting.intended === "number" ? setting.intended : (running ?? minimum);
        return (
          <label key={place.number} className="flex w-12 shrink-0 flex-col items-center gap-1 text-center text-[11px]" title={scaled(value, setting.shown)}>
            <span className="font-mono">{value}</span>
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
