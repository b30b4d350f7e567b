import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Device, got, type WholeDevice } from "../../api/client";
import { profilesQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { openConsole, select } from "../../lib/place";
import { OwnPage } from "./OwnPage";
import { Button } from "../../ui/Button";
import { Choice, Heading, Labelled, Mono } from "../../ui/parts";

const KINDS: [string, string][] = [
  ["mac:", "MAC address"],
  ["uuid:", "UUID"],
  ["rdm:", "RDM UID"],
  ["usb:", "USB serial number"],
];

function worded(key: string): [string, string] {
  const kind = KINDS.find(([head]) => key.startsWith(head));
  if (kind) return [kind[1], key.slice(kind[0].length)];
  const [maker, serial] = key.split("|");
  return ["Serial number", `${serial} (${maker})`];
}

/** Who it is: what it is known by, where it is, and what a person can say about that. */
export function Identity({ device, devices }: { device: WholeDevice; devices: Device[] }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Heading
        aside={
          <>
            <OwnPage device={device} />
            {device.console && (
              <Button look="bare" onClick={() => openConsole({ device: device.id })}>
                Open its console
              </Button>
            )}
            <Button look="bare" aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? "Done" : "Correct this"}
            </Button>
          </>
        }
      >
        Who it is
      </Heading>
      <dl className="grid grid-cols-[9rem_1fr] gap-x-3 gap-y-1 text-[12.5px]">
        {device.reported_model && (
          <>
            <dt className="text-soft">Model</dt>
            <dd>
              {device.model} on its label, <Mono>{device.reported_model}</Mono> by its own word
            </dd>
          </>
        )}
        {device.guess && (
          <>
            <dt className="text-soft">Best guess</dt>
            <dd>{device.guess}</dd>
          </>
        )}
        {device.keys.map((key) => (
          <div key={key} className="contents">
            <dt className="text-soft">{worded(key)[0]}</dt>
            <dd>
              <Mono>{worded(key)[1]}</Mono>
              {device.ways[key] && <span className="text-soft"> by {device.ways[key].join(", ")}</span>}
              {device.shared[key] && <span className="block text-madder">Names nobody here: {device.shared[key]}.</span>}
            </dd>
          </div>
        ))}
        {Object.entries(device.shared)
          .filter(([key]) => !device.keys.includes(key))
          .map(([key, why]) => (
            <div key={key} className="contents">
              <dt className="text-soft">{worded(key)[0]}</dt>
              <dd>
                <Mono>{worded(key)[1]}</Mono>
                <span className="block text-madder">Names nobody here: {why}.</span>
              </dd>
            </div>
          ))}
        {[device.facts.trouble, device.facts.clock && `Its clock is ${device.facts.clock}.`, device.facts.refused].filter(Boolean).map((text) => (
          <div key={text} className="contents">
            <dt className="text-soft">Trouble</dt>
            <dd className="text-madder">{text}</dd>
          </div>
        ))}
        {device.switch && (
          <>
            <dt className="text-soft">Plugged in at</dt>
            <dd>{device.switch}</dd>
          </>
        )}
        {!device.keys.length && (
          <>
            <dt className="text-soft">Known by</dt>
            <dd>its place alone: nothing that it tells would be known again elsewhere</dd>
          </>
        )}
        {device.addresses.length > 1 && (
          <>
            <dt className="text-soft">Also at</dt>
            <dd>{device.addresses.slice(1).map((p) => `${p.address} on ${p.line}`).join(", ")}</dd>
          </>
        )}
      </dl>
      {open && <Correct device={device} devices={devices} />}
    </>
  );
}

function Correct({ device, devices }: { device: WholeDevice; devices: Device[] }) {
  const profiles = useQuery(profilesQuery);
  const [other, setOther] = useState("");
  const path = { params: { path: { word: device.id } } };
  const say = useChange((profile: string) => got(api.PATCH("/api/devices/{word}", { ...path, body: { profile, version: device.version } })));
  const join = useChange(
    async () => {
      const joined = await got(api.POST("/api/devices/{word}/join", { ...path, body: { other } }));
      select(joined.devices[0].id, "only");
    },
    () => setOther(""),
  );
  const part = useChange((keys: string[]) => got(api.POST("/api/devices/{word}/part", { ...path, body: { keys } })));
  return (
    <div className="mt-2 flex flex-col gap-2.5 rounded-[3px] border border-weave px-3 py-2.5">
      <Labelled label="It is a">
        <Choice value={profiles.data?.some((one) => one.id === device.profile) ? device.profile : ""} disabled={say.isPending} onChange={(event) => say.mutate(event.target.value)}>
          <option value="">model not known</option>
          {profiles.data?.map((one) => (
            <option key={one.id} value={one.id}>
              {one.maker} {one.model}, {one.kind}
            </option>
          ))}
        </Choice>
      </Labelled>
      <div className="flex items-end gap-2">
        <Labelled label="It is the same device as">
          <Choice value={other} className="max-w-64" onChange={(event) => setOther(event.target.value)}>
            <option value="">choose a record</option>
            {devices
              .filter((d) => d.id !== device.id)
              .map((d) => (
                <option key={d.id} value={d.id}>
                  {d.name} {d.addresses[0]?.address ? `(${d.addresses[0].address})` : ""}
                </option>
              ))}
          </Choice>
        </Labelled>
        <Button disabled={!other || join.isPending} onClick={() => join.mutate(undefined)}>
          Join the two records
        </Button>
      </div>
      {device.keys.length > 1 && (
        <div className="text-[12.5px]">
          <p className="text-soft">Not its own? What is parted shows as another device at the next sweep, and stays apart.</p>
          <ul className="mt-1 flex flex-col gap-1">
            {device.keys.map((key) => (
              <li key={key} className="flex items-center justify-between gap-2">
                <span className="truncate font-mono text-[12px]">{worded(key)[1]}</span>
                <Button look="bare" disabled={part.isPending} onClick={() => part.mutate([key])}>
                  Part this {worded(key)[0]}
                </Button>
              </li>
            ))}
          </ul>
        </div>
      )}
      {device.apart.length > 0 && <p className="text-[12px] text-soft">Said to be apart: {device.apart.map((key) => worded(key)[1]).join(", ")}</p>}
    </div>
  );
}
