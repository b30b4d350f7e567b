import { useQuery } from "@tanstack/react-query";
import { api, type Device, got, type Line } from "../../api/client";
import { changesQuery, runsQuery, watchModeQuery } from "../../api/queries";
import { useBegin, useChange } from "../../api/work";
import { lensOf, tells } from "../registry";
import { live, shareDone } from "../../lib/live";
import { openLine, place, select } from "../../lib/place";
import { useStore } from "../../lib/store";
import { ago, exact, plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { INK, Mark } from "../../ui/Mark";
import { Bar, Choice, Empty, Heading, Labelled } from "../../ui/parts";

const SHOWN = 100;

/** With nothing selected: the sweep under way, who needs a look, comings and goings, watch mode. */
export function Overall({ devices, lines }: { devices: Device[]; lines: Line[] }) {
  const begin = useBegin();
  const only = useStore(place, (p) => p.only);
  const runs = useQuery(runsQuery);
  const going = runs.data?.some((run) => run.kind === "sweep" && (run.state === "running" || run.state === "waiting"));
  const fresh = devices.filter((d) => !d.taken_in);
  const odd = devices.filter((d) => d.taken_in && (d.state !== "known" || d.mode));
  const wrong = devices.filter((d) => d.taken_in && d.state === "known" && d.counts.drift + d.counts.lost > 0);
  if (!lines.length) return <Empty title="What a sweep finds is told here.">Add a line first.</Empty>;
  if (!devices.length)
    return (
      <Empty title="What a sweep finds is told here.">
        <Button look="strong" onClick={() => begin.mutate({ kind: "sweep" })}>
          Sweep all lines
        </Button>
      </Empty>
    );
  if (only) return <Group title={only === "duplicate" ? "Two on one address" : `Those that are ${only}`} devices={devices.filter((d) => d.state === only)} />;
  return (
    <>
      {going ? <Sweeping lines={lines} /> : <Swept lines={lines} />}
      <Group title="New, not taken in" devices={fresh} />
      <Group title="Not as planned" devices={odd} />
      <Group title="Differs from its baseline" devices={wrong} />
      {!fresh.length && !odd.length && !wrong.length && !going && (
        <Empty title="Everybody is where they should be.">Select a knot to see the evidence of it.</Empty>
      )}
      <Watch />
    </>
  );
}

function Sweeping({ lines }: { lines: Line[] }) {
  const progress = useStore(live, (l) => l.progress);
  const sightings = useStore(live, (l) => l.sightings);
  const answered = useStore(live, (l) => l.answered);
  const places = Object.values(answered).reduce((sum, one) => sum + Object.keys(one).length, 0);
  return (
    <>
      <Heading aside={`${places} places answered`}>Sweeping</Heading>
      {lines.map((line) => {
        const methods = Object.entries(progress[line.id] ?? {});
        const open = methods.filter(([, [done, total]]) => done < total).map(([name]) => name);
        return (
          <div key={line.id} className="mb-1 grid grid-cols-[9.5rem_1fr_7.5rem] items-center gap-2 text-[12.5px]">
            <button type="button" className="truncate text-left hover:underline" onClick={() => openLine(line.id)}>
              {line.name}
            </button>
            <Bar share={methods.length ? shareDone({ line: progress[line.id] }) : 0} label={`Sweep of ${line.name}`} />
            <span className="truncate text-[12px] text-soft">{open.length > 2 ? plural(open.length, "method") : open.join(", ") || (methods.length ? "done" : "waits")}</span>
          </div>
        );
      })}
      <ol aria-label="Sightings" className="mt-2 max-h-48 shrink-0 overflow-auto font-mono text-[12px]">
        {sightings.slice(-60).map((s, index) => (
          <li key={index} className="flex gap-2">
            <span className="w-20 truncate text-soft">{s.method}</span>
            <span className="min-w-32 shrink-0">{s.address}</span>
            <span className="truncate">{[s.facts.model, s.facts.serial].filter(Boolean).join(" ") || s.facts.title || s.facts.ports}</span>
          </li>
        ))}
      </ol>
    </>
  );
}

/** What the last sweep did, line by line; a click shows its methods. */
function Swept({ lines }: { lines: Line[] }) {
  const swept = lines.filter((line) => line.swept);
  if (!swept.length) return null;
  return (
    <details className="mb-3 text-[12.5px]">
      <summary className="text-soft">The last sweep, line by line</summary>
      <table className="mt-1 w-full">
        <tbody>
          {swept.map((line) => {
            const best = [...line.methods].sort((a, b) => b.seen - a.seen).filter((m) => m.seen);
            return (
              <tr key={line.id} className="align-top">
                <td className="max-w-40 truncate pr-2">
                  <button type="button" className="hover:underline" onClick={() => openLine(line.id)}>
                    {line.name}
                  </button>
                </td>
                <td className="pr-2 text-right font-mono whitespace-nowrap">{Math.max(0, ...line.methods.map((m) => m.seconds)).toFixed(1)} s</td>
                <td className="text-soft">{best.slice(0, 4).map((m) => `${m.title} ${m.seen}`).join(", ") || line.trouble || "nobody"}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </details>
  );
}

function Group({ title, devices }: { title: string; devices: Device[] }) {
  if (!devices.length) return null;
  return (
    <>
      <Heading
        aside={
          <Button look="bare" onClick={() => place.set({ selected: new Set(devices.map((d) => d.id)) })}>
            Select {plural(devices.length, "device")}
          </Button>
        }
      >
        {title}
      </Heading>
      <ul>
        {devices.slice(0, SHOWN).map((device) => {
          const { shape, tone, word } = tells(device, lensOf("survey"));
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
                  {(device.reasons[0] || device.guess) && <span className="block text-[12.5px] text-soft">{device.reasons[0]?.reason ?? device.guess}</span>}
                </span>
                <span className={`text-[12px] whitespace-nowrap ${INK[tone]}`}>{word}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

const WORDS: Record<string, string> = { came: "came", went: "went away", moved: "moved", back: "came back" };

/** Sweeps that begin by themselves, and what came and went. */
function Watch() {
  const mode = useQuery(watchModeQuery);
  const changes = useQuery(changesQuery);
  const set = useChange(async (minutes: number) => {
    await got(api.PUT("/api/watch-mode", { body: { minutes } }));
    await mode.refetch();
  });
  return (
    <>
      <Heading
        aside={
          <Labelled label="">
            <span className="flex items-center gap-1.5">
              Watch: sweep
              <Choice aria-label="Watch mode" value={mode.data?.minutes ?? 0} disabled={set.isPending} onChange={(event) => set.mutate(Number(event.target.value))} className="!py-0">
                <option value={0}>only when asked</option>
                {[1, 5, 15, 60].map((n) => (
                  <option key={n} value={n}>
                    every {n} min
                  </option>
                ))}
              </Choice>
            </span>
          </Labelled>
        }
      >
        Comings and goings
      </Heading>
      {!changes.data?.length && <p className="text-[12.5px] text-soft">Nobody came or went yet.</p>}
      <ol aria-label="Comings and goings" className="max-h-64 shrink-0 overflow-auto text-[12.5px]">
        {changes.data?.slice(0, SHOWN).map((one, index) => (
          <li key={index} className="grid grid-cols-[5rem_1fr_auto] gap-2 py-px">
            <span className="text-soft" title={exact(one.time)}>
              {ago(one.time)}
            </span>
            <button type="button" className="truncate text-left hover:underline disabled:no-underline" disabled={!one.device} onClick={() => select(one.device, "only")}>
              {one.name} <span className="text-soft">{WORDS[one.what] ?? one.what}</span>
            </button>
            <span className="font-mono text-[12px] text-soft">{one.address}</span>
          </li>
        ))}
      </ol>
    </>
  );
}
