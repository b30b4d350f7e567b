import { useState } from "react";
import { api, type Device, got, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { WithDevice } from "../../bench/WithDevice";
import { place } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Heading, Input, Labelled, Mono } from "../../ui/parts";

/** How Netloom gets into the device. Can be replaced, never read. */
export function Access({ device, lead }: { device: Device; lead: boolean }) {
  const save = useChange((body: { user: string; password: string }) =>
    got(api.PUT("/api/devices/{word}/credentials", { params: { path: { word: device.id } }, body })),
  );
  const forget = useChange(() => got(api.DELETE("/api/devices/{word}/credentials", { params: { path: { word: device.id } } })));
  const [seen, setSeen] = useState<Schemas["Code"]>();
  const look = useChange(async () => setSeen(await got(api.POST("/api/devices/{word}/code", { params: { path: { word: device.id } } }))));
  if (device.addresses[0]?.speed && !device.code) return null;
  return (
    <>
      <Heading aside="encrypted; never shown again">Access</Heading>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          const form = new FormData(event.currentTarget);
          save.mutate({ user: String(form.get("user")), password: String(form.get("password")) });
          event.currentTarget.reset();
        }}
      >
        <Labelled label="User name">
          <Input name="user" required autoComplete="off" className="w-32" />
        </Labelled>
        <Labelled label="Password">
          <Input name="password" type="password" autoComplete="new-password" className="w-32" />
        </Labelled>
        <Button type="submit">{save.isSuccess ? "Saved" : "Save"}</Button>
        <Button onClick={() => forget.mutate(undefined)}>Use the factory's</Button>
      </form>
      <p className="mt-2 flex flex-wrap items-center gap-2 text-[12.5px]">
        {device.code === "factory" && <span className="text-weld">It lets in by its factory&apos;s code.</span>}
        {device.code && <Button onClick={() => (place.set({ selected: new Set([device.id]), panel: "codes" }))}>A new code</Button>}
        {lead && device.code === "own" && (seen ? <span>{seen.user || "It"}: <Mono>{seen.code}</Mono></span> : <Button disabled={look.isPending} onClick={() => look.mutate(undefined)} title="It stands in the journal who looked">Look at its code</Button>)}
      </p>
      <WithDevice id={device.id}>{(whole) => <Certificate device={whole} />}</WithDevice>
    </>
  );
}

/** Of TLS: what it showed at first sight, and is known by. */
function Certificate({ device }: { device: Schemas["WholeDevice"] }) {
  const forget = useChange(() => got(api.DELETE("/api/devices/{word}/certificate", { params: { path: { word: device.id } } })));
  if (!device.certificate) return null;
  return (
    <p className="mt-2 flex flex-wrap items-center gap-2 text-[12.5px]">
      <span title={`SHA-256 ${device.certificate}`}>
        Known by its certificate <Mono>{`${device.certificate.slice(0, 16)}…`}</Mono>
      </span>
      <Button onClick={() => forget.mutate(undefined)}>It made a new one: forget this</Button>
    </p>
  );
}
