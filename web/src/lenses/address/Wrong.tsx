import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, asProblem, type Device, got, type Schemas } from "../../api/client";
import { troublesQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { whenCalm } from "../../lib/calm";
import { openLine, select } from "../../lib/place";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Heading, Trouble } from "../../ui/parts";

const SHOWN = 6;
const CALM_MS = 700;
/** What a device can be lost by, or what cannot work; the rest is untidy. */
const GRAVE = new Set(["own-address", "duplicate", "outside", "not-usable", "bound", "line-lost", "gateway-outside", "other-subnet", "overlap", "over-the-end"]);

/** What is wrong with places before anything is written, worst first: of those that are selected, of a line, or of all. */
export function Wrong({ devices, chosen, line }: { devices: Device[]; chosen: Device[]; line: string }) {
  const { data, error, refetch } = useQuery(troublesQuery);
  const [all, setAll] = useState(false);
  // Whatever changes on a device may put a place right, or spoil it; while much changes it is looked at when that is over.
  useEffect(() => {
    return whenCalm(() => void refetch(), CALM_MS);
  }, [devices, refetch]);
  if (error && !data) return <Trouble problem={asProblem(error)} again={() => void refetch()} />;
  const ids = new Set(chosen.map((d) => d.id));
  const found = (data ?? []).filter((one) => (chosen.length ? ids.has(one.device) : !line || one.line === line));
  if (!found.length) return null;
  return (
    <section className="mt-2" aria-label="Wrong places">
      <Heading aside={plural(found.length, "thing")}>Wrong places</Heading>
      <ul className="text-[13px]">
        {found.slice(0, all ? undefined : SHOWN).map((one) => (
          <Told key={`${one.code} ${one.line} ${one.device} ${one.address}`} trouble={one} alone={chosen.length === 1} />
        ))}
      </ul>
      {found.length > SHOWN && (
        <Button look="bare" className="!px-0" onClick={() => setAll(!all)}>
          {all ? "Show the worst only" : `Show all ${found.length}`}
        </Button>
      )}
    </section>
  );
}

/** A second address of this computer, for the time of the work; where this user may not, what to type is told. */
function Reach({ trouble }: { trouble: Schemas["Trouble"] }) {
  const reach = useChange(async () => {
    const made = await got(api.POST("/api/lines/{ident}/second-address", { params: { path: { ident: trouble.line } }, body: { near: trouble.address, minutes: 30 } }));
    openLine(made.reaches);
  });
  return (
    <Button className="float-right ml-2" disabled={reach.isPending} onClick={() => reach.mutate(undefined)}>
      Reach it for 30 minutes
    </Button>
  );
}

function Told({ trouble, alone }: { trouble: Schemas["Trouble"]; alone: boolean }) {
  return (
    <li className="border-b border-weave/60 py-1">
      {!alone && (
        <button type="button" className="mr-1.5 font-medium hover:underline" onClick={() => (trouble.device ? select(trouble.device, "only") : openLine(trouble.line))}>
          {trouble.name}
        </button>
      )}
      {trouble.code === "other-subnet" && <Reach trouble={trouble} />}
      <span className={GRAVE.has(trouble.code) ? "text-madder" : "text-weld"}>{trouble.message}</span> <span className="text-soft">{trouble.hint}</span>
    </li>
  );
}
