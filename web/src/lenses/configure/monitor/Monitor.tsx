import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { api, asProblem, got, type Schemas } from "../../../api/client";
import { monitorQuery } from "../../../api/queries";
import { useChange } from "../../../api/work";
import { live } from "../../../lib/live";
import { select } from "../../../lib/place";
import { useStore } from "../../../lib/store";
import { byPoint, countOf, type Edge, keyOf, seconds, stretches } from "../../../lib/strips";
import { plural } from "../../../lib/words";
import { Choice, Heading, Trouble, Waiting } from "../../../ui/parts";
import { Strip } from "./Strip";

const WINDOWS = [
  [60, "1 min"],
  [600, "10 min"],
  [3600, "1 h"],
  [86400, "24 h"],
] as const;

/** Chosen points of the whole installation over time; recorded by the server, whoever looks. */
export function Monitor() {
  const [span, setSpan] = useState(600);
  const { data, error, refetch } = useQuery(monitorQuery(span));
  const fresh = useStore(live, (l) => l.edges);
  const now = useNow(span > 3600 ? 10_000 : 1000);
  const edges = useMemo(() => byPoint(data?.edges ?? [], fresh), [data, fresh]);
  if (error && !data) return <Trouble problem={asProblem(error)} again={() => void refetch()} />;
  if (!data) return <Waiting>Reading the monitor …</Waiting>;
  return (
    <section aria-label="Point monitor" className="mt-4">
      <Heading
        aside={
          data.points.length > 0 && (
            <span className="flex items-center gap-2">
              <Choice aria-label="How long back" value={span} className="!py-0" onChange={(event) => setSpan(Number(event.target.value))}>
                {WINDOWS.map(([value, words]) => (
                  <option key={value} value={value}>
                    {words}
                  </option>
                ))}
              </Choice>
              <a className="text-indigo underline" href={`/api/monitor/points.csv?seconds=${span}`} download>
                as CSV
              </a>
            </span>
          )
        }
      >
        Point monitor
      </Heading>
      {data.points.length === 0 ? (
        <p className="text-[12.5px] text-soft">Relays, inputs and meters over time, recorded also while nobody looks. Select a device and press Record at one of its points.</p>
      ) : (
        <ul>
          {data.points.map((one) => (
            <Row key={one.id} one={one} edges={edges.get(keyOf(one)) ?? NONE} from={now - span} to={now} />
          ))}
        </ul>
      )}
    </section>
  );
}

const NONE: Edge[] = [];

function useNow(every: number): number {
  const [now, setNow] = useState(() => Date.now() / 1000);
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now() / 1000), every);
    return () => window.clearInterval(timer);
  }, [every]);
  return now;
}

function Row({ one, edges, from, to }: { one: Schemas["Monitored"]; edges: Edge[]; from: number; to: number }) {
  const out = useChange(() => got(api.DELETE("/api/monitor/{ident}", { params: { path: { ident: String(one.id) } } })));
  const those = stretches(edges, from, to);
  const { changes, pulse } = countOf(edges, one.states[0] ?? "", from, to);
  const state = edges.at(-1)?.state ?? "";
  const cause = edges.findLast((edge) => edge.cause)?.cause;
  const word = state === "" ? "not known" : `${one.words[state] ?? state} ${one.unit}`.trim();
  return (
    <li className="border-t border-weave/80 py-1 text-[12.5px]" data-monitored={one.point}>
      <div className="flex items-baseline gap-2">
        <button type="button" className="min-w-0 truncate text-left hover:underline" title={`${one.name}: ${one.label}`} onClick={() => select(one.device, "only")}>
          <b className="font-medium">{one.name}</b> {one.label}
        </button>
        <span className="ml-auto shrink-0 font-mono">{word}</span>
        <button type="button" aria-label={`Record ${one.label} of ${one.name} no more`} title="Record it no more" className="shrink-0 text-soft hover:text-ink" onClick={() => out.mutate(undefined)}>
          <X size={13} />
        </button>
      </div>
      <Strip those={those} states={one.states} from={from} to={to} words={one.words} label={`${one.label} of ${one.name}: ${plural(changes, "change")}, now ${word}`} />
      <p className="text-[11.5px] text-soft">
        {plural(changes, "change")}
        {pulse !== undefined && `, last pulse ${seconds(pulse)}`}
        {cause && `, last driven by ${cause}`}
      </p>
    </li>
  );
}
