import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { api, asProblem, got, type Plan, type Work } from "../api/client";
import { useBegin } from "../api/work";
import { ask, place } from "../lib/place";
import { useStore } from "../lib/store";
import { needsAre, plural, shown } from "../lib/words";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Tag, Trouble, Waiting } from "../ui/parts";

const ACTION: Record<string, string> = {
  write: "write and read back",
  store: "store, so that a power cut does not take it",
  move: "change, then find it again as itself",
};

/** Before anything is written: what, from what to what, in which order, what it disturbs, how long. */
export function PlanDialog() {
  const asked = useStore(place, (p) => p.asked);
  if (!asked) return null;
  return <PlanOf work={asked} />;
}

function PlanOf({ work }: { work: Work }) {
  const begin = useBegin();
  const plan = useQuery({
    queryKey: ["plan", work],
    queryFn: () => got(api.POST("/api/plans", { body: work })),
    staleTime: 0,
    gcTime: 0,
    retry: false,
  });
  const close = () => ask(null);
  const write = () => {
    begin.mutate({ ...work, plan: plan.data!.digest });
    close();
  };
  return (
    <Over title={TITLES[work.kind] ?? "Plan"} wide close={close} note={plan.data && plan.data.steps.length ? summary(plan.data) : undefined}>
      <div className="min-h-0 flex-1 overflow-auto px-4 py-3">
        {plan.isPending && <Waiting>Reading the devices, so that the plan is true …</Waiting>}
        {plan.error && <Trouble problem={asProblem(plan.error)} again={() => void plan.refetch()} />}
        {plan.data && <Steps plan={plan.data} />}
      </div>
      <div className="flex items-center justify-end gap-2 border-t border-weave px-4 py-2.5">
        {plan.data && plan.data.disturbs.length > 0 && (
          <p className="mr-auto text-[13px] text-madder">This disturbs {needsAre(plan.data.disturbs)}.</p>
        )}
        <Dialog.Close asChild>
          <Button>{plan.data && !plan.data.steps.length ? "Close" : "Write nothing"}</Button>
        </Dialog.Close>
        {plan.data && plan.data.steps.length > 0 && (
          <Button look={plan.data.disturbs.length ? "grave" : "strong"} autoFocus={!plan.data.disturbs.length} onClick={write}>
            {verb(plan.data)}
          </Button>
        )}
      </div>
    </Over>
  );
}

const TITLES: Record<string, string> = { apply: "What would be written", restore: "Restore a backup", undo: "Take back a run" };

function countChanges(plan: Plan): number {
  return plan.steps.reduce((sum, step) => sum + step.changes.length, 0);
}

function devicesOf(plan: Plan): string[] {
  return [...new Set(plan.steps.map((step) => step.device))];
}

function verb(plan: Plan): string {
  const changes = countChanges(plan);
  const devices = plural(devicesOf(plan).length, "device");
  return changes ? `Write ${plural(changes, "setting")} to ${devices}` : `Store the values of ${devices}`;
}

function summary(plan: Plan): string {
  return `${plural(countChanges(plan), "setting")} on ${plural(devicesOf(plan).length, "device")}, about ${Math.max(1, Math.round(plan.seconds))} s. Each value is read back afterwards.`;
}

function Steps({ plan }: { plan: Plan }) {
  if (!plan.steps.length && !plan.remarks.length)
    return <p className="text-[13px] text-soft">Nothing to write: the devices have these values already.</p>;
  return (
    <>
      {devicesOf(plan).map((device) => {
        const steps = plan.steps.filter((step) => step.device === device);
        return (
          <section key={device} className="mb-3">
            <h3 className="text-[13.5px] font-semibold">{steps[0].name}</h3>
            {steps.map((step) => (
              <div key={step.action} className="mt-1 border-l-2 border-warp pl-3">
                <p className="flex flex-wrap items-center gap-1.5 text-[12.5px] text-soft">
                  {ACTION[step.action] ?? step.action}
                  {step.disturbs.map((what) => (
                    <Tag key={what} tone="madder">
                      disturbs {what}
                    </Tag>
                  ))}
                </p>
                {step.unkept.length > 0 && (
                  <p className="font-mono text-[12px] text-soft">keeps also {step.unkept.join(", ")}</p>
                )}
                <table className="text-[12.5px]">
                  <tbody>
                    {step.changes.map((change) => (
                      <tr key={change.path} className="font-mono">
                        <td className="pr-4">{change.path}</td>
                        <td className="pr-2 text-right text-soft">{shown(change.from)}</td>
                        <td className="pr-2 text-soft">→</td>
                        <td className="font-semibold">{shown(change.to)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            ))}
          </section>
        );
      })}
      {plan.remarks.map((remark) => (
        <p key={remark.device + remark.message} className="text-[12.5px] text-weld">
          {remark.name}: {remark.message}
        </p>
      ))}
    </>
  );
}
