import { useState } from "react";
import { api, type Device, got, type Schemas, type WholeDevice } from "../../api/client";
import { useChange } from "../../api/work";
import { select } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Choice, Heading, Labelled, Tag } from "../../ui/parts";

/** What it can join: whom it joins, whether both have the same, and what the device itself says of it. */
export function Joins({ device, devices }: { device: WholeDevice; devices: Device[] }) {
  if (!device.joins.length) return null;
  return (
    <section aria-label="Joins" className="mt-4">
      <Heading>Joins</Heading>
      {device.joins.map((one) => (
        <One key={one.name} one={one} device={device} devices={devices} />
      ))}
    </section>
  );
}

function One({ one, device, devices }: { one: Schemas["JoinKnown"]; device: WholeDevice; devices: Device[] }) {
  const [to, setTo] = useState("");
  const path = { word: device.id };
  const others = devices.filter((d) => d.taken_in && d.id !== device.id && d.profile);
  const likely = others.filter((d) => d.profile === device.profile);
  const join = useChange((other: string) => got(api.POST("/api/devices/{word}/joins", { params: { path }, body: { to: other, name: one.name } })));
  const leave = useChange(() => got(api.DELETE("/api/devices/{word}/joins", { params: { path, query: { name: one.name } } })));
  return (
    <div className="border-t border-weave/80 py-1.5 text-[13px] first:border-t-0">
      <p className="flex flex-wrap items-baseline gap-2">
        <b className="font-medium">{one.name}</b>
        {one.to ? (
          <>
            <span className="text-soft">of</span>
            <button type="button" className="hover:underline" onClick={() => select(one.to!, "only")}>
              {one.to_name}
            </button>
          </>
        ) : (
          <span className="text-soft">of nobody that is known here</span>
        )}
        {one.state && <Tag tone={one.joined ? "woad" : "weld"}>{`${one.proof}: ${one.state}`}</Tag>}
      </p>
      {one.differs.length > 0 && (
        <ul className="my-1 text-[12.5px] text-weld">
          {one.differs.map((row) => (
            <li key={row.label}>
              {row.label} is {row.mine} here and {row.theirs} there.
            </li>
          ))}
        </ul>
      )}
      {one.to ? (
        <p className="flex gap-2">
          {one.differs.length > 0 && (
            <Button disabled={join.isPending} onClick={() => join.mutate(one.to!)}>
              Take them from {one.to_name} again
            </Button>
          )}
          <Button look="bare" className="!px-0" disabled={leave.isPending} onClick={() => leave.mutate(undefined)}>
            Check it against that no more
          </Button>
        </p>
      ) : (
        <form
          className="mt-1 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            join.mutate(to);
          }}
        >
          <Labelled label="The one that makes it">
            <Choice value={to} onChange={(event) => setTo(event.target.value)} className="max-w-52">
              <option value="">choose a device</option>
              {[...likely, ...others.filter((d) => !likely.includes(d))].map((d) => (
                <option key={d.id} value={d.id}>
                  {d.name}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Button type="submit" disabled={!to || join.isPending}>
            Take from there what has to be equal
          </Button>
        </form>
      )}
    </div>
  );
}
