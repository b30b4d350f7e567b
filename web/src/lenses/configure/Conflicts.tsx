import type { Schemas, WholeDevice } from "../../api/client";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import type { Decision } from "./SettingSheet";

interface Kind {
  why: string;
  labels: string[];
  devices: WholeDevice[];
}

interface Props {
  whole: WholeDevice[];
  decideFor: (devices: WholeDevice[], decisions: (device: WholeDevice) => Decision[]) => Promise<string>;
}

/** What is decided and may not stand together, why, and the nearest that may. */
export function Conflicts({ whole, decideFor }: Props) {
  const wrong = whole.filter((d) => d.conflicts.broken.length);
  if (!wrong.length) return null;
  const kinds = new Map<string, Kind>();
  for (const device of wrong)
    for (const one of device.conflicts.broken) {
      const kind = kinds.get(one.why) ?? { why: one.why, labels: one.labels, devices: [] };
      kind.devices.push(device);
      kinds.set(one.why, kind);
    }
  const offered = wrong.filter((d) => d.conflicts.offer.length);
  const told = [...new Set(offered.map((d) => d.conflicts.offer.map(words).join(", ")))];
  return (
    <div role="alert" className="mb-2 rounded-[3px] border border-madder bg-madder-wash/40 px-3 py-2 text-[13px]">
      <p className="font-medium">What is decided may not stand together, and is not written as it is.</p>
      <ul className="my-1">
        {[...kinds.values()].map((kind) => (
          <li key={kind.why}>
            {kind.labels.join(", ")}: {kind.why}
            {whole.length > 1 && <span className="text-soft"> ({plural(kind.devices.length, "device")})</span>}
          </li>
        ))}
      </ul>
      {offered.length > 0 ? (
        <Button onClick={() => void decideFor(offered, (d) => d.conflicts.offer.map((one) => ({ path: one.path, value: one.value })))}>
          {told.length === 1 ? `Take what is near and allowed: ${told[0]}` : `Take what is near and allowed for ${plural(offered.length, "device")}`}
        </Button>
      ) : (
        <p className="text-soft">Nothing near it is allowed: choose one of them anew.</p>
      )}
    </div>
  );
}

function words(one: Schemas["Offered"]): string {
  return `${one.label} ${one.shown}`;
}
