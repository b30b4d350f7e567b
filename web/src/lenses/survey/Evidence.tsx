import type { WholeDevice } from "../../api/client";
import { ago, exact, plural } from "../../lib/words";
import { Empty, Heading, Mono } from "../../ui/parts";

type Sighting = WholeDevice["sightings"][number];

/** Who saw it when, by which method, with which facts: a timeline, one knot for each sweep. */
export function Evidence({ device }: { device: WholeDevice }) {
  const sweeps = bySweep(device.sightings);
  return (
    <>
      <Heading aside={device.methods.join(", ")}>Evidence</Heading>
      {!sweeps.length && (
        <Empty title="Nobody has seen it yet.">A sweep of its line keeps here who saw it, when and with which facts.</Empty>
      )}
      <ol aria-label="Evidence, newest first" className="relative flex flex-col gap-3 border-l-2 border-warp pl-4">
        {sweeps.map((sweep, index) => (
          <li key={sweep[0].run + sweep[0].time} className="relative">
            <span aria-hidden className="absolute top-1.5 -left-[21px] size-2 rotate-45 bg-indigo" />
            <details open={index === 0}>
              <summary className="text-[12.5px]">
                <span title={exact(sweep[0].time)}>{ago(sweep[0].time)}</span>, {plural(sweep.length, "sighting")} at{" "}
                {[...new Set(sweep.map((s) => s.address || "a switch port"))].join(", ")}
              </summary>
              <ul className="mt-1 flex flex-col gap-1.5">
                {sweep.map((one) => (
                  <li key={one.method + one.address + JSON.stringify(one.facts)} className="text-[12.5px]">
                    <span className="font-semibold">{one.method}</span> on {one.line}
                    {one.interface && ` by ${one.interface}`} {one.address && <Mono>{one.address}</Mono>}
                    <p className="font-mono text-[12px] break-words text-soft">
                      {Object.entries(one.facts)
                        .map(([name, value]) => `${name} ${value}`)
                        .join(" · ")}
                    </p>
                  </li>
                ))}
              </ul>
            </details>
          </li>
        ))}
      </ol>
    </>
  );
}

function bySweep(sightings: Sighting[]): Sighting[][] {
  const runs = new Map<string, Sighting[]>();
  for (const one of sightings) runs.set(one.run, [...(runs.get(one.run) ?? []), one]);
  return [...runs.values()];
}
