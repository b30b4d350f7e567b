import { useQuery } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { api, type Device, got, type Schemas } from "../../api/client";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Labelled } from "../../ui/parts";
import { cablesQuery, jacksQuery } from "./queries";
import { useRoutingChange } from "./useRouting";

const SHOWN = 40;

/** What is plugged into what: recorded once, by people. */
export function Cables({ chosen }: { chosen: Device[] }) {
  const { data } = useQuery(cablesQuery);
  const [adding, setAdding] = useState(false);
  const take = useRoutingChange((id: string) => got(api.DELETE("/api/routing/cables/{ident}", { params: { path: { ident: id } } })));
  const ids = new Set(chosen.map((d) => d.id));
  const mine = (data ?? []).filter((one) => !chosen.length || ids.has(one.source.device) || ids.has(one.target.device));
  return (
    <section className="mt-4 first:mt-0" aria-label="Cables">
      <Heading aside={<Button look="bare" className="!py-0" onClick={() => setAdding(true)}>Record a cable …</Button>}>Cables{data ? ` · ${mine.length}` : ""}</Heading>
      {adding && <NewCable near={chosen} close={() => setAdding(false)} />}
      <ul className="text-[12.5px]">
        {mine.slice(0, SHOWN).map((one) => (
          <li key={one.id} className="flex items-center gap-2 border-b border-weave/60 py-0.5">
            <span className="min-w-0 flex-1 truncate">
              <End end={one.source} /> <span className="text-soft">to</span> <End end={one.target} />
            </span>
            {one.proof ? (
              <span title={one.proof} className="text-woad">
                proven
              </span>
            ) : (
              one.source.device && one.target.device && <Prove cable={one} />
            )}
            <button type="button" aria-label={`Take off the cable to ${one.target.name} ${one.target.label}`} title="It is not there any more" className="text-soft hover:text-madder" disabled={take.isPending} onClick={() => take.mutate(one.id)}>
              <Trash2 size={13} />
            </button>
          </li>
        ))}
      </ul>
      {mine.length > SHOWN && <p className="text-[12px] text-soft">and {mine.length - SHOWN} more; select devices to see theirs.</p>}
    </section>
  );
}

/** Asks first: it takes the picture away for a moment. */
function Prove({ cable }: { cable: Schemas["Cable"] }) {
  const [asked, setAsked] = useState(false);
  const prove = useRoutingChange(() => got(api.POST("/api/routing/cables/{ident}/prove", { params: { path: { ident: cable.id } } })), () => setAsked(false));
  if (prove.isPending) return <span className="text-soft">off for a moment …</span>;
  return asked ? (
    <>
      <span className="text-madder">disturbs the picture:</span>
      <Button look="grave" autoFocus className="!px-1.5 !py-0" onClick={() => prove.mutate(undefined)}>
        Switch it off for a moment
      </Button>
      <Button className="!px-1.5 !py-0" onClick={() => setAsked(false)}>
        no
      </Button>
    </>
  ) : (
    <Button look="bare" className="!px-0 !py-0" title="Its output is off for a moment: does the signal at the other end go?" onClick={() => setAsked(true)}>
      prove …
    </Button>
  );
}

function End({ end }: { end: Schemas["End"] }) {
  return (
    <>
      <b className="font-medium">{end.name}</b>
      {end.label && ` ${end.label}`}
    </>
  );
}

function NewCable({ near, close }: { near: Device[]; close: () => void }) {
  const { data } = useQuery(jacksQuery);
  const [from, setFrom] = useState({ device: near[0]?.id ?? "", jack: "" });
  const [to, setTo] = useState({ device: "", jack: "" });
  const lay = useRoutingChange(
    () => got(api.POST("/api/routing/cables", { body: { from_device: from.device, from_jack: from.jack, to_device: to.device, to_jack: to.jack } })),
    close,
  );
  return (
    <form
      aria-label="New cable"
      className="mb-2 flex flex-col gap-2 rounded-[3px] border border-weave bg-ground/40 px-2 py-2 text-[12.5px]"
      onSubmit={(event) => {
        event.preventDefault();
        lay.mutate(undefined);
      }}
    >
      <Which label="From" way="out" value={from} set={setFrom} devices={data ?? []} />
      <Which label="To" way="in" value={to} set={setTo} devices={data ?? []} />
      <div className="flex gap-2">
        <Button look="strong" type="submit" disabled={!from.jack.trim() || !to.jack.trim() || lay.isPending}>
          Record it
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </form>
  );
}

interface Value {
  device: string;
  jack: string;
}

function Which({ label, way, value, set, devices }: { label: string; way: "in" | "out"; value: Value; set: (value: Value) => void; devices: Schemas["JacksOf"][] }) {
  const jacks = devices.find((one) => one.device === value.device)?.jacks.filter((one) => one.way === way) ?? [];
  return (
    <div className="flex flex-wrap items-end gap-2">
      <Labelled label={label}>
        <Choice aria-label={`${label}, device`} value={value.device} onChange={(event) => set({ device: event.target.value, jack: "" })} className="w-52">
          <option value="">something not on record</option>
          {devices
            .filter((one) => one.jacks.some((jack) => jack.way === way))
            .map((one) => (
              <option key={one.device} value={one.device}>
                {one.name}
              </option>
            ))}
        </Choice>
      </Labelled>
      {value.device ? (
        <Choice aria-label={`${label}, jack`} value={value.jack} onChange={(event) => set({ ...value, jack: event.target.value })} className="w-48">
          <option value="">which jack?</option>
          {jacks.map((one) => (
            <option key={one.id} value={one.id}>
              {one.label}
            </option>
          ))}
        </Choice>
      ) : (
        <Input aria-label={`${label}, what it is called`} placeholder="what people call it" maxLength={60} value={value.jack} onChange={(event) => set({ ...value, jack: event.target.value })} className="w-48" />
      )}
    </div>
  );
}
