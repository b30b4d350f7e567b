import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Device, got, type Schemas, type WholeDevice } from "../../api/client";
import { deviceQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { select } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Choice, Heading, Labelled } from "../../ui/parts";
import { Rename } from "../../ui/Rename";

type Label = Schemas["Label"];
const of = (one: { axis: string; number: number }) => `${one.axis} ${one.number}`;

/** What its inputs, relays and zones are called: one fact each, decided on every device that can show it. */
export function Labels({ device, devices }: { device: WholeDevice; devices: Device[] }) {
  const [joining, setJoining] = useState<Label>();
  const [all, setAll] = useState(false);
  const part = useChange((id: number) => got(api.DELETE("/api/labels/{ident}", { params: { path: { ident: String(id) } } })));
  if (!device.labels.length) return null;
  const told = device.labels.filter((one) => all || one.text || one.same.length);
  const save = (one: Label) => (text: string) => got(api.PUT("/api/devices/{word}/label", { params: { path: { word: device.id } }, body: { axis: one.axis, number: one.number, text } }));
  return (
    <section aria-label="Labels" className="mt-4">
      <Heading
        aside={
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} /> also those without
          </label>
        }
      >
        Labels
      </Heading>
      {!told.length && <p className="text-[12.5px] text-soft">Nothing of it is called anything yet.</p>}
      <ul className="max-h-72 overflow-y-auto">
        {told.map((one) => (
          <li key={of(one)} className="border-t border-weave/80 py-1 text-[12.5px]">
            <div className="flex items-baseline gap-2">
              <span className="w-24 shrink-0 text-soft">{one.printed}</span>
              <Named one={one} save={save(one)} />
              <Button look="bare" className="ml-auto shrink-0 !px-0" onClick={() => setJoining(joining && of(joining) === of(one) ? undefined : one)}>
                {one.same.length ? "also …" : "same as …"}
              </Button>
            </div>
            {one.same.map((other) => (
              <p key={other.id} className="ml-24 flex items-baseline gap-2 pl-2 text-[12px]">
                <span className="text-soft">is also</span>
                <button type="button" className="hover:underline" onClick={() => select(other.device, "only")}>
                  {other.name}, {other.axis} {other.number}
                </button>
                <Button look="bare" className="!px-0" disabled={part.isPending} title="From now on they are two things" onClick={() => part.mutate(other.id)}>
                  part
                </Button>
              </p>
            ))}
            {joining && of(joining) === of(one) && <Join device={device} one={one} devices={devices} close={() => setJoining(undefined)} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Named({ one, save }: { one: Label; save: (text: string) => Promise<unknown> }) {
  const keep = useChange(save);
  return (
    <span className="min-w-0 flex-1">
      <Rename name={one.text || "–"} label={`Label of ${one.printed}`} className="max-w-full truncate text-left hover:underline" save={(text) => keep.mutateAsync(text)} />
      {one.text && !one.on_it && <span className="block text-[11.5px] text-soft">kept here: the device has no place for it</span>}
    </span>
  );
}

/** Which place of which other device is the same thing. */
function Join({ device, one, devices, close }: { device: WholeDevice; one: Label; devices: Device[]; close: () => void }) {
  const others = devices.filter((d) => d.taken_in && d.id !== device.id && d.profile);
  const [other, setOther] = useState("");
  const [where, setWhere] = useState("");
  const whole = useQuery({ ...deviceQuery(other), enabled: !!other });
  const places = other ? (whole.data?.labels ?? []) : [];
  const to = places.find((place) => of(place) === where);
  const join = useChange(
    () =>
      got(
        api.POST("/api/devices/{word}/same", {
          params: { path: { word: device.id } },
          body: { axis: one.axis, number: one.number, other, other_axis: to!.axis, other_number: to!.number },
        }),
      ),
    close,
  );
  return (
    <form
      className="my-1 flex flex-wrap items-end gap-2 rounded-[3px] border border-weave bg-ground/40 px-2 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        join.mutate(undefined);
      }}
    >
      <Labelled label={`${one.printed} is the same thing as, on`}>
        <Choice value={other} onChange={(event) => (setOther(event.target.value), setWhere(""))} className="max-w-44">
          <option value="">choose a device</option>
          {others.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </Choice>
      </Labelled>
      <Labelled label="its">
        <Choice value={where} disabled={!places.length} onChange={(event) => setWhere(event.target.value)} className="max-w-44">
          <option value="">{other && !whole.data ? "reading …" : "choose a place"}</option>
          {places.map((place) => (
            <option key={of(place)} value={of(place)}>
              {place.printed} {place.text && `· ${place.text}`}
            </option>
          ))}
        </Choice>
      </Labelled>
      <Button type="submit" disabled={!to || join.isPending}>
        {to?.text ? `Call both “${to.text}”` : "They are one thing"}
      </Button>
      <Button onClick={close}>Leave it</Button>
    </form>
  );
}
