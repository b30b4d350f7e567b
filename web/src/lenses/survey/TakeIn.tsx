import { useState } from "react";
import { api, type Device, got, type WholeDevice } from "../../api/client";
import { useChange } from "../../api/work";
import type { BenchProps } from "../lens";
import { namedBy } from "../../lib/naming";
import { isFitted } from "../../lib/knots";
import { WithDevice } from "../../bench/WithDevice";
import { ask, select } from "../../lib/place";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Input, Labelled } from "../../ui/parts";

const SHOWN = 4;

/** New ones become the installation's: one with a name, many with names made from a pattern. */
export function TakeIn({ fresh, devices, overview }: { fresh: Device[]; devices: Device[]; overview: BenchProps["overview"] }) {
  const one = fresh.length === 1;
  const [name, setName] = useState(one ? "" : "{model} {nn}");
  const [area, setArea] = useState("");
  const [standsFor, setStandsFor] = useState("");
  const planned = devices.filter((d) => d.taken_in && !isFitted(d) && d.profile && d.profile === fresh[0].profile);
  const areaName = overview.areas.find((a) => String(a.id) === area)?.name ?? "";
  const preview = one ? [] : fresh.map((d, index) => namedBy(name, index + 1, d, areaName, true));
  const twice = preview.find((made, index) => preview.indexOf(made) !== index || devices.some((d) => d.taken_in && d.name.toLowerCase() === made.toLowerCase()));
  const take = useChange(
    () =>
      got(
        api.POST("/api/take-in", {
          body: { devices: fresh.map((d) => d.id), name, area: area ? Number(area) : null, stands_for: standsFor },
        }),
      ),
    () => standsFor && select(standsFor, "only"),
  );
  return (
    <form
      aria-label="Take in"
      className="mb-3 flex flex-col gap-2 rounded-[3px] bg-indigo-wash px-3 py-2.5"
      onSubmit={(event) => {
        event.preventDefault();
        take.mutate(undefined);
      }}
    >
      <p className="text-[13px] font-semibold text-indigo">
        {one ? "It is new here. Take it in, and it gets a name, a plan and backups." : `${fresh.length} are new here.`}
      </p>
      <div className="flex flex-wrap items-end gap-2">
        <Labelled label={one ? "Name" : "Names made from a pattern"}>
          <Input value={name} disabled={!!standsFor} placeholder={fresh[0].name} onChange={(event) => setName(event.target.value)} className="w-48" />
        </Labelled>
        <Labelled label="Area">
          <Choice value={area} disabled={!!standsFor} onChange={(event) => setArea(event.target.value)}>
            <option value="">none</option>
            {overview.areas.filter((one) => !one.archived).map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        {one && planned.length > 0 && (
          <Labelled label="Stands for">
            <Choice value={standsFor} onChange={(event) => setStandsFor(event.target.value)}>
              <option value="">itself</option>
              {planned.map((d) => (
                <option key={d.id} value={d.id}>
                  {d.name} (planned)
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        <Button look="strong" type="submit" disabled={take.isPending || !!twice}>
          {take.isPending ? "Taking in …" : `Take in ${plural(fresh.length, "device")}`}
        </Button>
      </div>
      {!one && (
        <div className="text-[12.5px] text-soft">
          <p>
            They will be: {preview.slice(0, SHOWN).join(", ")}
            {preview.length > SHOWN && `, … ${preview.at(-1)}`}
          </p>
          <p>{"{n} {nn} count; {model} {serial} {address} {last} {kind} {area} {line} are filled in; {last} is the address's last number."}</p>
          {twice && <p className="text-madder">“{twice}” would be there twice. Add {"{n}"} or {"{serial}"} to the pattern.</p>}
        </div>
      )}
      {one && fresh[0].managed && <WithDevice id={fresh[0].id}>{(whole) => <KnownStart device={whole} />}</WithDevice>}
    </form>
  );
}

/** One that was used elsewhere may begin anew: what somebody set there is gone, and where it comes up is known. */
function KnownStart({ device }: { device: WholeDevice }) {
  const reset = device.face.procedures.find((one) => one.name === "factory-reset");
  if (!reset || device.factory) return null;
  return (
    <p className="text-[12.5px]">
      <Button onClick={() => ask({ kind: "procedure", devices: [device.id], procedure: reset.name })}>{reset.label} first …</Button>{" "}
      <span className="text-soft">
        Was it used elsewhere? Then what was set there is in the way. {reset.survives.length ? `A reset leaves: ${reset.survives.join(", ")}.` : "A reset leaves nothing of it."} It is backed up before, where it can be read.
      </span>
    </p>
  );
}
