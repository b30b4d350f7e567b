import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { ChevronDown, ChevronUp } from "lucide-react";
import type { Device, Run } from "../api/client";
import { api, asProblem, got } from "../api/client";
import { runQuery, runsQuery, stepsQuery } from "../api/queries";
import { useChange } from "../api/work";
import { live, secondsLeft, shareDone } from "../lib/live";
import { ask, place } from "../lib/place";
import { useStore } from "../lib/store";
import { readBack, shown } from "../lib/words";
import { Button } from "../ui/Button";
import { Bar, Tag, Trouble, Waiting, When } from "../ui/parts";
import { AtHand } from "./AtHand";
import { kindOf } from "./kinds/registry";
import { stepName } from "./steps";

const CHECK_MS = 10_000; // events tell sooner; this is for when none come

const going = (run: Run) => run.state === "waiting" || run.state === "running";

/** What goes on now, at the bottom; it opens to the steps, the evidence and the reasons. */
export function Tray({ devices }: { devices: Device[] }) {
  const open = useStore(place, (p) => p.trayOpen);
  const chosen = useStore(place, (p) => p.trayRun);
  const runs = useQuery(runsQuery);
  const list = runs.data ?? [];
  const current = list.find((run) => run.id === chosen) ?? list.find(going) ?? list[0];
  const whole = useQuery({ ...runQuery(current?.id ?? ""), enabled: !!current, refetchInterval: current && going(current) ? CHECK_MS : false });
  const run = whole.data ?? current;
  return (
    <section aria-label="Run tray" data-run={run?.id} className="border-t border-warp bg-cloth">
      {run && <AtHand run={run} />}
      <div className="flex h-9 items-center gap-3 px-4">
        {run ? <Line run={run} devices={devices} whole={!!whole.data} /> : <span className="text-[13px] text-soft">Nothing has run yet. A sweep finds what is on the lines.</span>}
        <Button
          look="bare"
          className="ml-auto"
          aria-expanded={open}
          title="Open or close (r)"
          onClick={() => place.set((p) => ({ ...p, trayOpen: !p.trayOpen }))}
        >
          {open ? <ChevronDown size={14} /> : <ChevronUp size={14} />} Runs
        </Button>
      </div>
      {open && run && (
        <div className="flex h-[240px] border-t border-weave">
          <ul className="w-60 overflow-auto border-r border-weave py-1">
            {list.map((one) => (
              <li key={one.id}>
                <button
                  type="button"
                  onClick={() => place.set({ trayRun: one.id })}
                  className={clsx("flex w-full items-center gap-2 px-4 py-1 text-left text-[12.5px]", one.id === run.id ? "bg-indigo-wash" : "hover:bg-weave/50")}
                >
                  <span className="flex-1 font-medium">{kindOf(one.kind).name}</span>
                  <State state={one.state} />
                  <span className="w-20 text-right text-soft">
                    <When at={one.created} />
                  </span>
                </button>
              </li>
            ))}
          </ul>
          <Detail run={run} devices={devices} />
        </div>
      )}
    </section>
  );
}

function State({ state }: { state: string }) {
  const tone = state === "done" ? "woad" : state === "unproven" ? "weld" : state === "running" || state === "waiting" ? "indigo" : state === "cancelled" ? "weld" : "madder";
  return <Tag tone={tone}>{state === "cancelled" ? "stopped" : state}</Tag>;
}

function Line({ run, devices, whole }: { run: Run; devices: Device[]; whole: boolean }) {
  const progress = useStore(live, (l) => (l.run === run.id ? l.progress : null));
  const stop = useChange((id: string) => got(api.POST("/api/runs/{ident}/cancel", { params: { path: { ident: id } } })));
  const total = Object.values(run.counts).reduce((sum, count) => sum + count, 0);
  const settled = total - (run.counts.pending ?? 0) - (run.counts.acting ?? 0);
  const share = run.kind === "sweep" && !total ? shareDone(progress ?? {}) : total ? settled / total : 0;
  const left = secondsLeft(share, run.created);
  const acting = useStore(live, (l) => l.acting[run.id]);
  return (
    <>
      <span className="text-[13px] font-semibold">{kindOf(run.kind).name}</span>
      <State state={run.state} />
      {going(run) ? (
        <>
          <div className="w-48 max-sm:w-10">
            <Bar share={share} label={`Progress of ${kindOf(run.kind).name}`} />
          </div>
          <span className="truncate text-[12.5px] text-soft">
            {total ? `${settled} of ${total} steps` : `${Math.round(share * 100)} % looked at`}
            {acting && total ? ` · ${devices.find((d) => d.id === acting.device)?.name ?? acting.device}: ${stepName(acting.action)}` : ""}
          </span>
          {left !== null && <span className="text-[12.5px] whitespace-nowrap text-soft max-sm:hidden">about {left} s left</span>}
          <Button disabled={run.cancelling || stop.isPending} onClick={() => stop.mutate(run.id)}>
            {run.cancelling ? "Stopping …" : "Stop"}
          </Button>
        </>
      ) : (
        <span className="truncate text-[12.5px] text-soft">{run.message || (whole && kindOf(run.kind).told(run))}</span>
      )}
    </>
  );
}

function Detail({ run, devices }: { run: Run; devices: Device[] }) {
  const found = useQuery(stepsQuery(run.id));
  const steps = found.data ?? [];
  const wrote = kindOf(run.kind).writes && steps.some((step) => step.state !== "skipped" && step.changes.length);
  const missing = [...((run.result.missing as unknown[]) ?? []), ...((run.result.not_looked as unknown[]) ?? [])] as { device: string; name: string; reasons: { reason: string; try: string }[] }[];
  return (
    <div className="min-w-0 flex-1 overflow-auto px-4 py-2 text-[12.5px]">
      <div className="mb-1 flex items-center gap-2 text-soft">
        by {run.by}, <When at={run.created} />
        {wrote && !going(run) && (
          <Button className="ml-auto" onClick={() => ask({ kind: "undo", run: run.id })}>
            Take this back …
          </Button>
        )}
      </div>
      {found.isPending && <Waiting>Reading the steps …</Waiting>}
      {found.error && <Trouble problem={asProblem(found.error)} again={() => void found.refetch()} />}
      {missing.map((one) => (
        <div key={one.device} className="mb-1">
          <p className="font-semibold text-madder">Missing: {one.name}</p>
          {one.reasons.map((reason) => (
            <p key={reason.reason}>
              {reason.reason} <span className="text-soft">{reason.try}</span>
            </p>
          ))}
        </div>
      ))}
      <table className="w-full">
        <tbody>
          {steps.map((step) => (
            <tr key={step.ordinal} className="border-b border-weave/60 align-top">
              <td className="py-1 pr-3 font-medium whitespace-nowrap">{devices.find((d) => d.id === step.device)?.name ?? step.name}</td>
              <td className="py-1 pr-3 whitespace-nowrap">{stepName(step.action)}</td>
              <td className="py-1 pr-3">
                <State state={step.state} />
              </td>
              <td className="w-full py-1">
                {step.changes.map((change) => (
                  <p key={change.path} title={change.path} className="font-mono text-[12px]">
                    {change.label || change.path} {shown(change.from)} → {shown(change.to)}
                    {change.read_back !== undefined && <span className="text-soft"> · {readBack(change)}</span>}
                  </p>
                ))}
                {step.lost.map((one) => (
                  <p key={one.path} title={one.path} className="font-mono text-[12px]">
                    {one.path} {shown(one.from)} → {one.what === "set back" ? shown(one.to) : one.what === "dropped" ? "nothing" : "?"} <span className="text-madder">{one.what}</span>
                  </p>
                ))}
                {step.lost.some((one) => one.what === "set back") && !going(run) && (
                  <Button className="my-1" onClick={() => ask({ kind: "restore", devices: [step.device], run: run.id })}>
                    Put back what was set back …
                  </Button>
                )}
                {step.message && <p className={step.state === "done" ? "text-soft" : step.state === "unproven" ? "text-weld" : "text-madder"}>{step.message}</p>}
                {step.try && <p>{step.try}</p>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
