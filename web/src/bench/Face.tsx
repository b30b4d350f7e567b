import { api, type Device, got, type Schemas } from "../api/client";
import { useBegin, useChange } from "../api/work";
import { stateOf, whatDiffers } from "../lib/knots";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { INK, Mark } from "../ui/Mark";
import { Choice, Mono, When } from "../ui/parts";
import { Rename } from "../ui/Rename";
import { FirmwareLine } from "./Firmware";

/** Who the selected device is: name, area, identity, address, firmware, when last read. */
export function Face({ device, overview }: { device: Device; overview: Schemas["Overview"] }) {
  const begin = useBegin();
  const edit = useChange((body: { name?: string; area?: number | null }) =>
    got(api.PATCH("/api/devices/{word}", { params: { path: { word: device.id } }, body: { ...body, version: device.version } })),
  );
  const { shape, tone, word } = stateOf(device);
  const place = device.addresses[0];
  const area = overview.areas.find((one) => one.name === device.area);
  return (
    <div className="mb-3 border-b border-weave pb-3">
      <div className="flex items-start gap-2">
        <span className="pt-1">
          <Mark shape={shape} tone={tone} size={20} />
        </span>
        <div className="min-w-0 flex-1">
          <Rename
            key={device.id}
            name={device.name}
            label="Name of the device"
            className="block max-w-full truncate text-left text-[17px] leading-tight font-semibold hover:underline"
            save={(name) => edit.mutateAsync({ name })}
          />
          <p className="text-[12.5px] text-soft">
            {[device.maker, device.model].filter(Boolean).join(" ") || "Model not known"}
            {device.reported_model && `, calls itself ${device.reported_model}`}
            {device.kind && `, ${device.kind}`} · <span className={INK[tone]}>{word}</span>
            {whatDiffers(device) && ` · ${whatDiffers(device)}`}
          </p>
        </div>
        {device.taken_in && device.managed && (
          <Button onClick={() => begin.mutate({ kind: "read", devices: [device.id] })}>Read now</Button>
        )}
      </div>
      <dl className="mt-2 grid grid-cols-[auto_1fr] items-center @md:grid-cols-[auto_1fr_auto_1fr] gap-x-3 gap-y-1 text-[12.5px]">
        <dt className="text-soft">Serial</dt>
        <dd>{device.serial ? <Mono>{device.serial}</Mono> : "–"}</dd>
        <dt className="text-soft">Address</dt>
        <dd>{place ? <Mono>{place.speed ? `${place.address} · ${place.speed} baud` : place.address}</Mono> : "–"}</dd>
        <dt className="text-soft">Firmware</dt>
        <dd>{device.firmware ? <Mono>{device.firmware}</Mono> : "–"}</dd>
        <dt className="text-soft">Line</dt>
        <dd className="truncate">{place?.line ?? "–"}</dd>
        <dt className="text-soft">Area</dt>
        <dd>
          <Choice
            aria-label="Area"
            value={area?.id ?? ""}
            className="max-w-36 !py-0"
            onChange={(event) => edit.mutate({ area: event.target.value ? Number(event.target.value) : null })}
          >
            <option value="">none</option>
            {overview.areas.map((one) => (
              <option key={one.id} value={one.id}>
                {one.parent ? `  ${one.name}` : one.name}
              </option>
            ))}
          </Choice>
        </dd>
        <dt className="text-soft">Read</dt>
        <dd>
          <When at={device.read} />
        </dd>
      </dl>
      {device.taken_in && <FirmwareLine device={device} />}
      {device.read_trouble && <p className="mt-1.5 text-[12.5px] text-madder">Last try to read: {device.read_trouble}</p>}
    </div>
  );
}

export function ManyFace({ chosen }: { chosen: Device[] }) {
  const models = new Map<string, number>();
  for (const device of chosen) models.set(device.model || "unknown", (models.get(device.model || "unknown") ?? 0) + 1);
  return (
    <div className="mb-3 border-b border-weave pb-3">
      <h2 className="text-[17px] font-semibold">{plural(chosen.length, "device")} selected</h2>
      <p className="text-[12.5px] text-soft">{[...models].map(([model, n]) => `${n} × ${model}`).join(", ")}</p>
    </div>
  );
}
