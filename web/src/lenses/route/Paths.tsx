import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { Check, Unplug } from "lucide-react";
import { useCallback, useMemo, useState } from "react";
import { asProblem, type Device, type Schemas } from "../../api/client";
import { live } from "../../lib/live";
import { select } from "../../lib/place";
import { useStore } from "../../lib/store";
import { Empty, Heading, Trouble, Waiting } from "../../ui/parts";
import { pathsQuery } from "./queries";
import { useAgainOnChange } from "./useRouting";

const SHOWN = 60;

/** What reaches which display over several devices, and where it stops: one thread for each end. */
export function Paths({ chosen, devices }: { chosen: Device[]; devices: Device[] }) {
  const { data, error, refetch } = useQuery(pathsQuery);
  const [only, setOnly] = useState(false);
  const over = useMemo(() => [...new Set((data?.paths ?? []).flatMap((path) => path.hops.map((hop) => hop.device)))], [data]);
  const again = useCallback(() => void refetch(), [refetch]);
  useAgainOnChange(over, again);
  if (error && !data) return <Trouble problem={asProblem(error)} again={again} />;
  if (!data) return <Waiting>Following the cables …</Waiting>;
  const ids = new Set(chosen.map((d) => d.id));
  const mine = data.paths.filter((path) => !chosen.length || path.hops.some((hop) => ids.has(hop.device)));
  const bad = mine.filter((path) => path.stops.length);
  const shown = (only ? bad : [...bad, ...mine.filter((path) => !path.stops.length)]).slice(0, SHOWN);
  return (
    <section className="mt-4 first:mt-0" aria-label="Paths">
      <Heading
        aside={
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={only} onChange={(event) => setOnly(event.target.checked)} /> only the {bad.length} that stop
          </label>
        }
      >
        What reaches which display
      </Heading>
      {!mine.length && <Empty title="No path is known.">Record what is plugged into what, below: then what reaches each display stands here.</Empty>}
      <ul>
        {shown.map((path) => (
          <Thread key={`${path.end.device} ${path.end.jack}`} path={path} ids={ids} devices={devices} />
        ))}
      </ul>
      {(only ? bad : mine).length > SHOWN && <p className="text-[12.5px] text-soft">and {(only ? bad : mine).length - SHOWN} more; select devices to see theirs.</p>}
    </section>
  );
}

/** Why, with what the device itself is in trouble with where nothing of it is known. */
const whyOf = (stop: Schemas["Stop"], troubles: Record<string, string>) => ((stop.kind === "unknown" && troubles[stop.device]) || stop.why).replace(/\.$/, "");

function Thread({ path, ids, devices }: { path: Schemas["Path"]; ids: Set<string>; devices: Device[] }) {
  const cause = path.stops[0];
  const troubles = useStore(live, (l) => l.troubles);
  const stopped = new Set(path.stops.map((stop) => stop.device));
  return (
    <li className="border-b border-weave/70 py-1.5 text-[12.5px]">
      <div className="flex items-baseline gap-2">
        <span className={clsx("shrink-0", cause ? "text-madder" : "text-woad")}>{cause ? <Unplug size={13} aria-label="stops" /> : <Check size={13} aria-label={path.arrives ? "arrives" : "nothing stops it"} />}</span>
        <b className="font-medium">{path.end.name}</b>
        <span className="text-soft">{path.end.label}</span>
        <span className="text-soft">{path.source ? `from ${path.source}` : "nobody knows from where"}</span>
      </div>
      <ol className="mt-0.5 flex flex-wrap items-center gap-y-1 pl-5">
        {path.hops.map((hop, index) => (
          <li key={`${hop.device} ${hop.into}`} className="flex items-center">
            {index > 0 && <span aria-hidden className={clsx("h-0.5 w-4", hop.present === false ? "border-t-2 border-dashed border-madder" : "bg-indigo/60")} />}
            {hop.over && (
              <>
                <span className="rounded-[3px] border border-dashed border-weave px-1.5 py-px text-soft" title="No device on record">
                  {hop.over}
                </span>
                <span aria-hidden className="h-0.5 w-4 bg-indigo/60" />
              </>
            )}
            <button
              type="button"
              title={[[hop.into_label, hop.out_label].filter(Boolean).join(" to "), hop.format !== "-" && hop.format].filter(Boolean).join(", ")}
              className={clsx("rounded-[3px] border px-1.5 py-px", stopped.has(hop.device) ? "border-madder bg-madder-wash" : ids.has(hop.device) ? "border-indigo bg-indigo-wash" : "border-weave hover:border-indigo")}
              onClick={() => select(hop.device, "only", devices.map((d) => d.id))}
            >
              {hop.name}
              {hop.into_label && hop.out_label && hop.by && <span className="text-soft"> {short(hop.into_label)}</span>}
            </button>
          </li>
        ))}
      </ol>
      {cause && (
        <p className="mt-0.5 pl-5 text-madder">
          {whyOf(cause, troubles)}.{path.stops.length > 1 && <span className="text-soft"> Then: {path.stops.slice(1, 3).map((stop) => stop.why).join("; ")}.</span>}
        </p>
      )}
      {path.notes.map((note) => (
        <p key={note} className="mt-0.5 pl-5 text-weld">
          {note}.
        </p>
      ))}
    </li>
  );
}

/** The name that people gave, without where it is. */
const short = (label: string) => label.replace(/ \(.*\)$/, "");
