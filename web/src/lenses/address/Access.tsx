import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Device, got, type Schemas } from "../../api/client";
import { loginsQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { WithDevice } from "../../bench/WithDevice";
import { place } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Labelled, Mono } from "../../ui/parts";

const BY: Record<string, string> = {
  own: "its own is kept",
  model: "one for all of its model",
  installation: "one for the whole installation",
  factory: "its factory's",
  "": "none is known",
};

/** How Netloom gets into the device, at each of its levels. Can be replaced, never read. */
export function Access({ device, lead }: { device: Device; lead: boolean }) {
  if (device.addresses[0]?.speed && !device.code) return null;
  return (
    <>
      <Heading aside="encrypted; never shown again">Access</Heading>
      <WithDevice id={device.id}>
        {(whole) => (
          <>
            {whole.levels.length > 1 && (
              <ul className="mb-2 text-[13px]">
                {[...whole.levels].reverse().map((one) => (
                  <li key={one.level} className="flex items-baseline justify-between gap-2 border-b border-weave/70 py-1">
                    <span>{one.label}</span>
                    <span className={one.by ? (one.by === "factory" ? "text-weld" : "text-soft") : "text-madder"}>{BY[one.by]}</span>
                  </li>
                ))}
              </ul>
            )}
            <Entering device={device} levels={whole.levels} />
            <Looking device={device} levels={whole.levels} lead={lead} />
            <Certificate device={whole} />
          </>
        )}
      </WithDevice>
      <ForMany />
    </>
  );
}

type Level = Schemas["LoginKnown"];

function Entering({ device, levels }: { device: Device; levels: Level[] }) {
  const [level, setLevel] = useState("");
  const known = levels.find((one) => one.level === level);
  const save = useChange(async (form: FormData) => {
    const body = { level, user: String(form.get("user")), password: String(form.get("password")) };
    const whom = String(form.get("whom"));
    if (whom === "device") await got(api.PUT("/api/devices/{word}/credentials", { params: { path: { word: device.id } }, body }));
    else await got(api.PUT("/api/logins", { body: { ...body, profile: whom === "model" ? device.profile : "" } }));
  });
  const forget = useChange(() => got(api.DELETE("/api/devices/{word}/credentials", { params: { path: { word: device.id }, query: { level } } })));
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(new FormData(event.currentTarget));
        event.currentTarget.reset();
      }}
    >
      {levels.length > 1 && (
        <Labelled label="Code">
          <Choice value={level} onChange={(event) => setLevel(event.target.value)}>
            {[...levels].reverse().map((one) => (
              <option key={one.level} value={one.level}>
                {one.label}
              </option>
            ))}
          </Choice>
        </Labelled>
      )}
      <Labelled label="User name">
        <Input name="user" autoComplete="off" className="w-28" placeholder={levels.length > 1 ? "often none" : ""} />
      </Labelled>
      <Labelled label={levels.length > 1 ? "Code as it is on the device" : "Password"}>
        <Input name="password" type="password" autoComplete="new-password" className="w-32" />
      </Labelled>
      <Labelled label="For">
        <Choice name="whom" defaultValue="device">
          <option value="device">this device</option>
          {device.model && <option value="model">every {device.model}</option>}
          <option value="all">the whole installation</option>
        </Choice>
      </Labelled>
      <Button type="submit">{save.isSuccess ? "Saved" : "Save"}</Button>
      {known?.by === "own" && <Button onClick={() => forget.mutate(undefined)}>Forget its own</Button>}
    </form>
  );
}

function Looking({ device, levels, lead }: { device: Device; levels: Level[]; lead: boolean }) {
  const [seen, setSeen] = useState<Schemas["Code"]>();
  const look = useChange(async (level: string) => setSeen(await got(api.POST("/api/devices/{word}/code", { params: { path: { word: device.id } }, body: { level } }))));
  return (
    <p className="mt-2 flex flex-wrap items-center gap-2 text-[12.5px]">
      {device.code === "factory" && levels.length < 2 && <span className="text-weld">It lets in by its factory&apos;s code.</span>}
      {levels.some((one) => one.can_set) && (
        <Button onClick={() => place.set({ selected: new Set([device.id]), panel: "codes" })}>{levels.length > 1 ? "New codes" : "A new code"}</Button>
      )}
      {lead &&
        levels
          .filter((one) => one.by === "own")
          .map((one) => (
            <Button key={one.level} disabled={look.isPending} onClick={() => look.mutate(one.level)} title="It stands in the journal who looked">
              Look at its {one.label ? one.label.toLowerCase() : "code"}
            </Button>
          ))}
      {seen && (
        <span>
          {seen.level || seen.user || "It"}: <Mono>{seen.code}</Mono>
        </span>
      )}
    </p>
  );
}

/** Logins that count for many devices; those that have one of their own do without. */
function ForMany() {
  const logins = useQuery(loginsQuery);
  const forget = useChange((id: number) => got(api.DELETE("/api/logins/{ident}", { params: { path: { ident: String(id) } } })));
  if (!logins.data?.length) return null;
  return (
    <div className="mt-3 text-[12.5px]">
      <p className="text-soft">Kept for many devices:</p>
      <ul>
        {logins.data.map((one) => (
          <li key={one.id} className="flex items-center justify-between gap-2">
            <span>
              {one.profile ? `every ${one.profile}` : "the whole installation"}
              {one.level && `, ${one.level}`}
              {one.user && <> as <Mono>{one.user}</Mono></>}
              <span className="text-soft">, by {one.set_by}</span>
            </span>
            <Button onClick={() => forget.mutate(one.id)}>Forget</Button>
          </li>
        ))}
      </ul>
    </div>
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
