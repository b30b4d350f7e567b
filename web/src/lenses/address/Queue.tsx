import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { ask } from "../../lib/place";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Trouble } from "../../ui/parts";

const LOOK_MS = 2000;

interface Props {
  line: Line;
  devices: Device[];
  close: () => void;
}

/** New units one after the other, for somebody at the rack: connect one, it is recognised, given its place, and named for its sticker. */
export function Queue({ line, devices, close }: Props) {
  const [current, setCurrent] = useState("");
  const [done, setDone] = useState<string[]>([]);
  const device = devices.find((d) => d.id === current);
  const looking = !device;
  const look = useQuery({
    queryKey: ["queue", line.id],
    queryFn: () => got(api.POST("/api/lines/{ident}/queue", { params: { path: { ident: line.id } } })),
    enabled: looking,
    refetchInterval: looking ? LOOK_MS : false,
    gcTime: 0,
  });
  const take = useChange(async (one: Schemas["Came"]) => {
    await got(api.POST("/api/take-in", { body: { devices: [one.device], name: "", area: null, stands_for: one.stands_for } }));
    setCurrent(one.stands_for);
    ask({ kind: "apply", devices: [one.stands_for] });
  });
  const waiting = look.data?.waiting ?? [];
  return (
    <section aria-label="One after the other" className="flex min-h-full flex-col text-[15px]">
      <p className="mb-4 flex items-baseline justify-between gap-2 text-[13px] text-soft">
        <span>
          {line.name}: {plural(done.length, "unit")} done, {waiting.filter((one) => one.device !== current).length} to come
        </span>
        <Button look="bare" onClick={close}>
          Leave the queue
        </Button>
      </p>
      {device ? (
        <Given
          device={device}
          next={(there) => {
            if (there) setDone([...done, device.id]);
            setCurrent("");
          }}
        />
      ) : (
        <Connect look={look.data} problem={look.error} taking={take.isPending} take={(one) => take.mutate(one)} />
      )}
    </section>
  );
}

const BIG = "text-[24px] leading-tight font-semibold";

function Connect({ look, problem, taking, take }: { look?: Schemas["Queue"]; problem: unknown; taking: boolean; take: (one: Schemas["Came"]) => void }) {
  if (problem) return <Trouble problem={asProblem(problem)} />;
  if (!look) return <p className={BIG}>Looking where new units come up …</p>;
  const next = look.waiting[0];
  if (!next) return <p className={BIG}>Nobody is planned here who has no unit yet. All are done.</p>;
  if (!look.looked.length)
    return <p>No model that is planned here says at which address its new units come up on this line, so they cannot be told apart by it. Sweep the line, and take each in for the one that it stands for.</p>;
  const here = look.came[0];
  return (
    <div aria-live="polite">
      <p className="text-soft">Next is</p>
      <p className={BIG}>{next.name}</p>
      <p className="mb-5 font-mono text-[18px]">{next.address || "no place planned yet"}</p>
      {!here && (
        <p className="flex items-center gap-2">
          <span className="inline-block size-2.5 animate-pulse rounded-full bg-indigo" /> Connect one new {next.model}, and no other. It is looked for at{" "}
          <span className="font-mono text-[14px]">{look.looked.join(", ")}</span>.
        </p>
      )}
      {here && <Came here={here} waiting={look.waiting} taking={taking} take={take} />}
    </div>
  );
}

function Came({ here, waiting, taking, take }: { here: Schemas["Came"]; waiting: Schemas["Waiting"][]; taking: boolean; take: (one: Schemas["Came"]) => void }) {
  const who = (
    <>
      {here.model || here.name}, serial number <span className="font-mono">{here.serial || "not told"}</span>
    </>
  );
  if (here.several) return <p className="text-madder">Several answer at {here.address} at once. Leave one of them connected, and disconnect the others.</p>;
  if (here.taken_in)
    return (
      <p>
        {who}, is {here.name} already. Connect the next one in its place.
      </p>
    );
  const meant = waiting.find((one) => one.device === here.stands_for);
  if (!meant)
    return (
      <p className="text-weld">
        {who}, answers at {here.address}, and nobody planned here is of its model. Connect another one.
      </p>
    );
  return (
    <>
      <p className="mb-3">
        {who}, answers at <span className="font-mono">{here.address}</span>.
      </p>
      <Button look="strong" className="!px-4 !py-2.5 !text-[15px]" disabled={taking} onClick={() => take(here)}>
        It is {meant.name}: show what is written
      </Button>
    </>
  );
}

/** Taken in; written when the plan is agreed to, and done when it answers at its place. */
function Given({ device, next }: { device: Device; next: (there: boolean) => void }) {
  const there = device.addresses[0]?.address === device.planned_address && device.state === "known";
  return (
    <div aria-live="polite">
      <p className="text-soft">{there ? "Done. For its sticker:" : "Not written yet:"}</p>
      <p className={BIG}>{device.name}</p>
      <p className="font-mono text-[20px]">{device.planned_address}</p>
      <p className="mb-5 font-mono text-[18px]">{device.serial}</p>
      {there ? (
        <Button look="strong" className="!px-4 !py-2.5 !text-[15px]" onClick={() => next(true)}>
          Next
        </Button>
      ) : (
        <div className="flex flex-wrap gap-2">
          <Button className="!px-4 !py-2.5 !text-[15px]" onClick={() => ask({ kind: "apply", devices: [device.id] })}>
            Show what is written
          </Button>
          <Button look="bare" onClick={() => next(false)}>
            Leave this one for later
          </Button>
          <p className="basis-full text-[13px] text-soft">
            It answers at <span className="font-mono">{device.addresses[0]?.address}</span> now; when it was given its place and was found there again, that is said here.
          </p>
        </div>
      )}
    </div>
  );
}
