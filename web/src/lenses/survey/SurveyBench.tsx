import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Device, got } from "../../api/client";
import { runsQuery } from "../../api/queries";
import { useBegin, useChange } from "../../api/work";
import { type BenchProps, WithDevice } from "../../bench/Bench";
import { live } from "../../lib/live";
import { select } from "../../lib/place";
import { tells } from "../../lib/knots";
import { useStore } from "../../lib/store";
import { exact, plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { INK, Mark } from "../../ui/Mark";
import { Bar, Choice, Empty, Heading, Input, Labelled, Mono } from "../../ui/parts";

/** Survey: sweep, see who came, who is new and who is missing and why, take in. */
export function SurveyBench({ chosen, devices, overview }: BenchProps) {
  const fresh = chosen.filter((d) => !d.taken_in);
  return (
    <>
      {fresh.length > 0 && <TakeIn key={fresh.map((d) => d.id).join()} fresh={fresh} devices={devices} overview={overview} />}
      {chosen.length === 1 ? (
        <WithDevice id={chosen[0].id}>
          {(whole) => (
            <>
              {whole.reasons.length > 0 && (
                <>
                  <Heading>Why it is not there</Heading>
                  <ol className="flex flex-col gap-2">
                    {whole.reasons.map((one) => (
                      <li key={one.reason} className="border-l-2 border-madder pl-3 text-[13px]">
                        <p>{one.reason}</p>
                        <p className="text-soft">Try: {one.try}</p>
                      </li>
                    ))}
                  </ol>
                </>
              )}
              <Heading aside={whole.methods.join(", ")}>Evidence</Heading>
              {whole.sightings.length ? (
                <ol className="relative flex flex-col gap-2.5 border-l-2 border-warp pl-3">
                  {whole.sightings.map((one) => (
                    <li key={one.method + one.time} className="text-[12.5px]">
                      <p>
                        <span className="font-semibold">{one.method}</span> at <Mono>{one.address}</Mono>{" "}
                        <span className="text-soft">{exact(one.time)}</span>
                      </p>
                      <p className="font-mono text-[12px] break-words text-soft">
                        {Object.entries(one.facts)
                          .map(([name, value]) => `${name} ${value}`)
                          .join(" · ")}
                      </p>
                    </li>
                  ))}
                </ol>
              ) : (
                <Empty title="Nobody has seen it yet.">A sweep of its line keeps here who saw it, when and with which facts.</Empty>
              )}
            </>
          )}
        </WithDevice>
      ) : (
        !fresh.length && <Overall devices={devices} lines={overview.lines} />
      )}
    </>
  );
}

function TakeIn({ fresh, devices, overview }: { fresh: Device[]; devices: Device[]; overview: BenchProps["overview"] }) {
  const one = fresh.length === 1;
  const [name, setName] = useState(one ? "" : `${fresh[0].model} {n}`);
  const [area, setArea] = useState("");
  const [standsFor, setStandsFor] = useState("");
  const planned = devices.filter((d) => d.taken_in && !d.serial && d.profile === fresh[0].profile);
  const take = useChange(
    () =>
      got(
        api.POST("/api/take-in", {
          body: {
            devices: fresh.map((d) => d.id),
            name,
            area: area ? Number(area) : null,
            stands_for: standsFor,
          },
        }),
      ),
    () => standsFor && select(standsFor, "only"),
  );
  return (
    <form
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
        <Labelled label={one ? "Name" : "Names, {n} counts"}>
          <Input value={name} disabled={!!standsFor} placeholder={fresh[0].name} onChange={(event) => setName(event.target.value)} className="w-48" />
        </Labelled>
        <Labelled label="Area">
          <Choice value={area} disabled={!!standsFor} onChange={(event) => setArea(event.target.value)}>
            <option value="">none</option>
            {overview.areas.map((a) => (
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
        <Button look="strong" type="submit" disabled={take.isPending}>
          {take.isPending ? "Taking in …" : `Take in ${plural(fresh.length, "device")}`}
        </Button>
      </div>
    </form>
  );
}

function Overall({ devices, lines }: { devices: Device[]; lines: BenchProps["overview"]["lines"] }) {
  const begin = useBegin();
  const progress = useStore(live, (l) => l.progress);
  const sightings = useStore(live, (l) => l.sightings);
  const runs = useQuery(runsQuery);
  const going = runs.data?.some((run) => run.kind === "sweep" && (run.state === "running" || run.state === "waiting"));
  const fresh = devices.filter((d) => !d.taken_in);
  const odd = devices.filter((d) => d.taken_in && d.state !== "known");
  const wrong = devices.filter((d) => d.taken_in && d.state === "known" && d.counts.drift + d.counts.lost > 0);
  if (!devices.length)
    return (
      <Empty title="What a sweep finds is told here.">
        <Button look="strong" onClick={() => begin.mutate({ kind: "sweep", baseline: false, keep: true })}>
          Sweep all lines
        </Button>
      </Empty>
    );
  return (
    <>
      {going && (
        <>
          <Heading aside={`${new Set(sightings.map((s) => s.line + s.address)).size} places answered`}>Sweeping</Heading>
          {lines.map((line) =>
            Object.entries(progress[line.id] ?? {}).map(([method, [done, total]]) => (
              <div key={line.id + method} className="mb-1.5 grid grid-cols-[9rem_4.5rem_1fr_5rem] items-center gap-2 text-[12.5px]">
                <span className="truncate">{line.name}</span>
                <span className="text-soft">{method}</span>
                <Bar share={done / Math.max(total, 1)} label={`${method} on ${line.name}`} />
                <span className="text-right font-mono text-[12px] text-soft">
                  {done}/{total}
                </span>
              </div>
            )),
          )}
          <ol aria-label="Sightings" className="mt-2 max-h-56 overflow-auto font-mono text-[12px]">
            {sightings.map((s, index) => (
              <li key={index} className="flex gap-2">
                <span className="w-16 text-soft">{s.method}</span>
                <span className="w-32">{s.address}</span>
                <span className="truncate">{[s.facts.model, s.facts.serial].filter(Boolean).join(" ") || s.facts.ports}</span>
              </li>
            ))}
          </ol>
        </>
      )}
      <Group title="New, not taken in" devices={fresh} />
      <Group title="Not as planned" devices={odd} />
      <Group title="Differs from its baseline" devices={wrong} />
      {!fresh.length && !odd.length && !wrong.length && !going && (
        <Empty title="Everybody is where they should be.">Select a knot to see the evidence of it.</Empty>
      )}
    </>
  );
}

function Group({ title, devices }: { title: string; devices: Device[] }) {
  if (!devices.length) return null;
  return (
    <>
      <Heading aside={plural(devices.length, "device")}>{title}</Heading>
      <ul>
        {devices.slice(0, 100).map((device) => {
          const { shape, tone, word } = tells(device, "survey");
          return (
            <li key={device.id}>
              <button
                type="button"
                onClick={() => select(device.id, "only")}
                className="flex w-full items-start gap-2 rounded-[3px] px-1 py-1 text-left text-[13px] hover:bg-weave/50"
              >
                <span className="pt-0.5">
                  <Mark shape={shape} tone={tone} />
                </span>
                <span className="min-w-0 flex-1">
                  <span className="font-medium">{device.name}</span>{" "}
                  <span className="font-mono text-[12px] text-soft">{device.addresses[0]?.address}</span>
                  {device.reasons[0] && <span className="block text-[12.5px] text-soft">{device.reasons[0].reason}</span>}
                </span>
                <span className={`text-[12px] ${INK[tone]}`}>{word}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </>
  );
}
