import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { monitorQuery } from "../../../api/queries";
import { live } from "../../../lib/live";
import { ask, select } from "../../../lib/place";
import { useStore } from "../../../lib/store";
import { plural } from "../../../lib/words";
import { Button } from "../../../ui/Button";

/** Points that change again and again by themselves: what follows what, and what to do. */
export function Restless({ device }: { device?: string }) {
  const { data } = useQuery(monitorQuery(60));
  const told = useStore(live, (l) => l.chatter) ?? data?.chatter ?? [];
  const those = device ? told.filter((one) => one.device === device || one.leader?.device === device) : told;
  if (!those.length) return null;
  return (
    <div role="status" className="mb-2 rounded-[3px] border border-weld bg-weld-wash/40 px-3 py-2 text-[13px]">
      <p className="flex items-center gap-1.5 font-medium">
        <TriangleAlert size={15} className="shrink-0 text-weld" /> By itself, again and again
      </p>
      <ul>
        {those.map((one) => (
          <li key={`${one.device} ${one.point}`} className="mt-1">
            {one.words} {one.then && <span className="text-soft">{one.then}</span>}{" "}
            <Button look="bare" className="!px-0" onClick={() => ask({ kind: "procedure", devices: [one.device], procedure: `calm ${one.point}` })}>
              {one.steps.length ? `Bring it back in step: ${plural(one.steps.length, "step")} at the device …` : "Watch until it is still …"}
            </Button>{" "}
            {(one.leader?.device ?? one.device) !== device && (
              <Button look="bare" className="!px-0" onClick={() => select(one.leader?.device ?? one.device, "only")}>
                Go to {one.leader?.name ?? one.name}
              </Button>
            )}
          </li>
        ))}
      </ul>
      <p className="mt-1 text-[12px] text-soft">It is told when it was quiet for half a minute.</p>
    </div>
  );
}
