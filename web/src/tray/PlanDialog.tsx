import { useMutation, useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useMemo, useState } from "react";
import { api, asProblem, got, type Plan, Problem, type Schemas, whole, type Work } from "../api/client";
import { planQuery } from "../api/queries";
import { useBegin } from "../api/work";
import { live } from "../lib/live";
import { ask, place } from "../lib/place";
import { type Like, partsOf } from "../lib/plans";
import { useStore } from "../lib/store";
import { needsAre, plural, shown } from "../lib/words";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Bar, Input, Tag, Trouble, Waiting } from "../ui/parts";
import { kindOf } from "./kinds/registry";
import { stepPlan } from "./steps";

/** Before anything is written: what, from what to what, in which order, what it disturbs, how long. */
export function PlanDialog() {
  const asked = useStore(place, (p) => p.asked);
  if (!asked) return null;
  return <PlanOf work={asked} />;
}

function PlanOf({ work }: { work: Work }) {
  const begin = useBegin();
  const asked = useQuery({
    queryKey: ["plan", work],
    queryFn: () => got(api.POST("/api/plans", { body: whole(work) })),
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
    refetchOnReconnect: false,
  });
  const made = useQuery(planQuery(asked.data?.id ?? ""));
  const plan = made.data?.state === "ready" ? made.data : undefined;
  const broken = made.data && made.data.state !== "ready" && made.data.state !== "making" ? made.data : undefined;
  const error = asked.error ?? made.error ?? (broken && new Problem("plan", broken.message || "The plan was not made.", "Nothing was written. Make it again."));
  const close = () => ask(null);
  const write = () => {
    begin.mutate({ kind: work.kind, plan: plan!.id, reason: reason.trim() });
    close();
  };
  const rehearsal = useMutation({ mutationFn: (id: string) => got(api.POST("/api/plans/{ident}/rehearse", { params: { path: { ident: id } } })) });
  const unsafe = plan?.remarks.some((remark) => remark.code === "safety");
  const [reason, setReason] = useState("");
  const later = plan?.remarks.some((remark) => remark.code === "later");
  return (
    <Over title={kindOf(work.kind).plan ?? "Plan"} wide close={close} note={plan?.steps.length ? summary(plan) : undefined}>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-3">
        {!plan && !error && <Making id={asked.data?.id ?? ""} />}
        {error && <Trouble problem={asProblem(error)} again={() => void asked.refetch()} />}
        {plan && <Steps plan={plan} />}
        {rehearsal.isPending && <Waiting>Playing it on devices in memory …</Waiting>}
        {rehearsal.error && <Trouble problem={asProblem(rehearsal.error)} />}
        {rehearsal.data && <Rehearsed told={rehearsal.data} />}
      </div>
      <div className="flex flex-wrap items-center justify-end gap-2 border-t border-weave px-4 py-2.5">
        {plan && plan.disturbs.length > 0 && <p className="mr-auto min-w-40 flex-1 text-[13px] text-madder">This disturbs {needsAre(plan.disturbs)}.</p>}
        {plan && plan.again.length > 0 && (
          <p className="basis-full text-[12px] text-soft">At the end all is read back. What had gone by then is done once more: {plan.again.join(" and ")}.</p>
        )}
        {plan?.remarks.some((remark) => remark.code === "can-lock") && <Button onClick={() => ask({ ...work, lock: true })}>Lock their panels meanwhile …</Button>}
        {later && !work.over_later && <Button onClick={() => ask({ ...work, over_later: true })}>Take back those too …</Button>}
        {unsafe && (
          <label className="flex basis-full items-center gap-2 text-[13px]">
            <span className="text-madder">Why it is to be kept so</span>
            <Input autoFocus value={reason} maxLength={300} onChange={(event) => setReason(event.target.value)} className="flex-1" placeholder="it stands in the journal with your name" />
          </label>
        )}
        {plan && plan.steps.length > 0 && !kindOf(plan.kind).asWhole && !rehearsal.data && (
          <Button disabled={rehearsal.isPending} title="Plays it on devices in memory that have what these were last read to have; nothing is written" onClick={() => rehearsal.mutate(plan.id)}>
            Rehearse it
          </Button>
        )}
        <Dialog.Close asChild>
          <Button>{plan && !plan.steps.length ? "Close" : kindOf(work.kind).asWhole ? "Do nothing" : "Write nothing"}</Button>
        </Dialog.Close>
        {plan && plan.steps.length > 0 && (
          <Button look={plan.disturbs.length ? "grave" : "strong"} autoFocus={!plan.disturbs.length && !unsafe} disabled={unsafe && !reason.trim()} onClick={write}>
            {verb(plan)}
          </Button>
        )}
      </div>
    </Over>
  );
}

/** What a rehearsal learnt: who would not come through, and what the next power cut would take back. */
function Rehearsed({ told }: { told: Schemas["Rehearsal"] }) {
  const bad = told.devices.filter((one) => one.result !== "done" || one.lost.length);
  const good = told.devices.length - bad.length;
  return (
    <section aria-label="Rehearsal" className="mt-3 border-t border-weave pt-2 text-[13px]">
      <p className="font-medium">
        Rehearsed: {good ? `${plural(good, "device")} would have all of it, also after a power cut.` : "none of it would come through as it is."}
      </p>
      <ul className="text-[12.5px]">
        {bad.map((one) => (
          <li key={one.device} className="mt-0.5">
            <b className="font-medium">{one.name}</b> {one.result !== "done" && <span className="text-madder">{one.result}</span>} {one.message} <span className="text-soft">{one.hint}</span>
            {one.lost.length > 0 && <span className="text-weld"> A power cut would take back {one.lost.join(", ")}.</span>}
          </li>
        ))}
      </ul>
      <p className="text-[12px] text-soft">Played on devices in memory by what their profiles say; what a real one does against its profile shows only there.</p>
    </section>
  );
}

/** Planning reads the devices first; with many that takes a while, and shows how far it is. */
function Making({ id }: { id: string }) {
  const progress = useStore(live, (l) => l.planning[id]);
  if (!progress || progress.total < 2) return <Waiting>Reading the devices, so that the plan is true …</Waiting>;
  return (
    <div className="flex items-center gap-3 text-[13px] text-soft">
      <div className="w-48">
        <Bar share={progress.done / progress.total} label="Devices read for the plan" />
      </div>
      {progress.done} of {progress.total} devices read
    </div>
  );
}

function countChanges(plan: Plan): number {
  // What is staged comes again with the restart that makes it work; it is one setting.
  return new Set(plan.steps.flatMap((step) => step.changes.map((change) => `${step.device} ${change.path}`))).size;
}

function devicesOf(plan: Plan): string[] {
  return [...new Set(plan.steps.map((step) => step.device))];
}

function verb(plan: Plan): string {
  if (kindOf(plan.kind).asWhole) return `${labelOf(plan)}: ${plural(devicesOf(plan).length, "device")}`;
  const changes = countChanges(plan);
  const devices = plural(devicesOf(plan).length, "device");
  return changes ? `Write ${plural(changes, "setting")} to ${devices}` : `Store the values of ${devices}`;
}

/** What a procedure is called; it is told by its last step. */
const labelOf = (plan: Plan): string => plan.steps.at(-1)?.words ?? "";

function summary(plan: Plan): string {
  if (kindOf(plan.kind).asWhole)
    return `${labelOf(plan)} of ${plural(devicesOf(plan).length, "device")}, about ${Math.max(1, Math.round(plan.seconds))} s each. What came of it is read afterwards.`;
  return `${plural(countChanges(plan), "setting")} on ${plural(devicesOf(plan).length, "device")}, about ${Math.max(1, Math.round(plan.seconds))} s. Each value is read back afterwards.`;
}

function Steps({ plan }: { plan: Plan }) {
  const parts = useMemo(() => partsOf(plan), [plan]);
  if (!plan.steps.length && !plan.remarks.length)
    return <p className="text-[13px] text-soft">Nothing to write: the devices have these values already.</p>;
  return (
    <>
      {parts.map((part) => (
        <Part key={part.devices[0].id} part={part} />
      ))}
      {plan.remarks.filter((remark) => remark.code !== "can-lock").map((remark) => (
        <p key={remark.device + remark.message} className={`text-[12.5px] ${remark.code === "safety" ? "font-medium text-madder" : "text-weld"}`}>
          {remark.name}: {remark.message}
        </p>
      ))}
    </>
  );
}

/** One device, or many that are told alike: what they have in common, and each of them on demand. */
function Part({ part }: { part: Like }) {
  const [open, setOpen] = useState(false);
  const { devices, steps } = part;
  return (
    <section className="mb-3">
      <h3 className="text-[13.5px] font-semibold">{devices.length === 1 ? devices[0].name : `${devices.length} devices alike`}</h3>
      {steps.map((step, at) => (
        <div key={at} className="mt-1 border-l-2 border-warp pl-3">
          <p className="flex flex-wrap items-center gap-1.5 text-[12.5px] text-soft">
            {step.words && <b className="text-ink">{step.words}</b>}
            {step.note && <span>{step.note}</span>}
            {stepPlan(step.action)}
            {step.disturbs.map((what) => (
              <Tag key={what} tone="madder">
                disturbs {what}
              </Tag>
            ))}
          </p>
          {step.unkept.length > 0 && <p className="font-mono text-[12px] text-soft">keeps also {step.unkept.join(", ")}</p>}
          <table className="text-[12.5px]">
            <tbody>
              {step.rows.map((row) => (
                <tr key={row.path} title={row.path}>
                  <td className="pr-4">{row.label || <span className="font-mono">{row.path}</span>}</td>
                  <td className="pr-2 text-right font-mono text-soft">{row.varies.from ? "various" : shown(row.from)}</td>
                  <td className="pr-2 text-soft">→</td>
                  <td className="font-mono font-semibold">{row.varies.to ? "each its own" : shown(row.to)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
      {devices.length > 1 && (
        <Button look="bare" className="mt-1 !px-0" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Only what they share" : `Each of the ${devices.length}`}
        </Button>
      )}
      {open && <Each part={part} />}
    </section>
  );
}

const MOST = 500;

/** A line for each device, with the values that differ. */
function Each({ part }: { part: Like }) {
  const various = part.steps.flatMap((step, at) => step.rows.filter((row) => row.varies.from || row.varies.to).map((row) => ({ at, path: row.path, label: row.label })));
  return (
    <ul className="mt-1 max-h-64 overflow-auto border-l-2 border-warp pl-3 text-[12.5px]">
      {part.devices.slice(0, MOST).map((device) => (
        <li key={device.id}>
          {device.name}
          {various.map(({ at, path, label }) => {
            const change = device.steps[at].changes.find((one) => one.path === path);
            return (
              <span key={path} className="ml-3 whitespace-nowrap text-soft">
                {label || path} <span className="font-mono">{shown(change?.from)} → </span>
                <b className="font-mono text-ink">{shown(change?.to)}</b>
              </span>
            );
          })}
        </li>
      ))}
      {part.devices.length > MOST && <li className="text-soft">and {part.devices.length - MOST} more, in the run afterwards</li>}
    </ul>
  );
}
