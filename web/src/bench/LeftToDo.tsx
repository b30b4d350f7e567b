import type { Device } from "../api/client";
import { useBegin } from "../api/work";
import type { Cause, Lens } from "../lenses/lens";
import { tells } from "../lenses/registry";
import { ask, place, select } from "../lib/place";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { INK, Mark } from "../ui/Mark";
import { Empty, Heading } from "../ui/parts";

const SHOWN = 8;

/** With nothing selected: what is left to do under a lens, by cause; each can be selected, or begun, as one. */
export function LeftToDo({ devices, lens }: { devices: Device[]; lens: Lens }) {
  const causes = (lens.causes ?? []).map((cause) => ({ cause, those: devices.filter(cause.of) })).filter(({ those }) => those.length);
  if (!causes.length) return <Empty title="Nothing is left to do here.">Select a knot to work on it, or go on with the next lens.</Empty>;
  return (
    <div className="mb-4 flex flex-col gap-3">
      {causes.map(({ cause, those }) => (
        <Group key={cause.title} cause={cause} devices={those} lens={lens} />
      ))}
    </div>
  );
}

function Group({ cause, devices, lens }: { cause: Cause; devices: Device[]; lens: Lens }) {
  const begin = useBegin();
  const ids = devices.map((d) => d.id);
  const act = cause.act;
  const doIt = (kind: NonNullable<Cause["act"]>["kind"]) => {
    if (kind === "apply") ask({ kind, devices: ids });
    else if (kind === "codes") place.set({ selected: new Set(ids), cursor: ids[0], anchor: ids[0], base: new Set(), panel: "codes" });
    else begin.mutate({ kind, devices: ids });
  };
  return (
    <section aria-label={cause.title}>
      <Heading
        aside={
          <Button look="bare" onClick={() => place.set({ selected: new Set(ids), cursor: ids[0], anchor: ids[0], base: new Set() })}>
            Select {plural(devices.length, "device")}
          </Button>
        }
      >
        {cause.title}
      </Heading>
      {cause.means && <p className="mb-1 text-[12.5px] text-soft">{cause.means}</p>}
      <ul>
        {devices.slice(0, SHOWN).map((device) => {
          const { shape, tone, word } = tells(device, lens);
          return (
            <li key={device.id}>
              <button type="button" onClick={() => select(device.id, "only")} className="flex w-full items-center gap-2 rounded-[3px] px-1 py-0.5 text-left text-[13px] hover:bg-weave/50">
                <Mark shape={shape} tone={tone} />
                <span className="min-w-0 flex-1 truncate">
                  {device.name} <span className="font-mono text-[12px] text-soft">{device.addresses[0]?.address}</span>
                </span>
                <span className={`text-[12px] whitespace-nowrap ${INK[tone]}`}>{word}</span>
              </button>
            </li>
          );
        })}
      </ul>
      {devices.length > SHOWN && <p className="px-1 text-[12px] text-soft">and {devices.length - SHOWN} more</p>}
      {act && (
        <Button className="mt-1.5" disabled={begin.isPending} onClick={() => doIt(act.kind)}>
          {act.label.replace("{n}", plural(devices.length, "device"))}
        </Button>
      )}
    </section>
  );
}
