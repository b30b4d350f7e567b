import clsx from "clsx";
import type { Setting, WholeDevice } from "../../../api/client";

type View = WholeDevice["face"]["views"][number];

interface Props {
  device: WholeDevice;
  view: View;
  set: (path: string, value: unknown) => void;
}

/** Which input each output shows: outputs down, inputs across. A filled cell runs, a ring is decided. */
export function Crosspoints({ device, view, set }: Props) {
  const down = device.face.axes[view.down] ?? [];
  const across = device.face.axes[view.across] ?? [];
  const cells = new Map(device.settings.filter((s) => s.item === view.item).map((s) => [s.place[view.down], s]));
  const named = (place: { named: string; label: string }) => {
    const name = device.settings.find((s) => s.path === place.named)?.running;
    return typeof name === "string" && name ? name : place.label;
  };
  return (
    <div className="max-h-[340px] overflow-auto" role="grid" aria-label={view.label}>
      <table className="border-collapse text-[11px]">
        <thead>
          <tr>
            <th />
            {across.map((input) => (
              <th key={input.number} className="h-16 w-6 px-0 align-bottom font-normal text-soft" title={named(input)}>
                <span className="block max-h-16 rotate-180 truncate text-left [writing-mode:vertical-rl]">{named(input)}</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {down.map((output) => (
            <tr key={output.number}>
              <th className="max-w-[120px] truncate pr-2 text-right font-normal" title={named(output)}>
                {named(output)}
              </th>
              {across.map((input) => {
                const setting = cells.get(output.number);
                return (
                  <td key={input.number} className="border border-weave p-0">
                    {setting && <Cell setting={setting} input={input.number} label={`${named(input)} to ${named(output)}`} set={set} />}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Cell({ setting, input, label, set }: { setting: Setting; input: number; label: string; set: Props["set"] }) {
  const runs = setting.running === input;
  const decided = setting.intended === input;
  const words = [runs && "runs", decided && "decided"].filter(Boolean).join(", ") || "off";
  return (
    <button
      type="button"
      role="gridcell"
      aria-label={`${label}: ${words}`}
      aria-pressed={decided}
      className="flex size-6 items-center justify-center hover:bg-indigo-wash"
      onClick={() => set(setting.path, input)}
    >
      <span className={clsx("size-3 rounded-full", runs && "bg-indigo", decided && "ring-2 ring-weld ring-offset-1 ring-offset-cloth")} />
    </button>
  );
}
