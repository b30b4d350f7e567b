import { useQuery } from "@tanstack/react-query";
import { api, asProblem, got, type Line, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Trouble, Waiting } from "../../ui/parts";

type Proposal = Schemas["Proposal"];

interface Props {
  devices: string[];
  lines: Line[];
  close: () => void;
}

const ROLES: Record<string, string> = { mask: "mask", gateway: "gateway", name: "host name", speed: "speed" };

/** What the rules give each device, and why; nothing is decided before somebody agrees. */
export function Proposals({ devices, lines, close }: Props) {
  const asked = useQuery({
    queryKey: ["proposals", devices],
    queryFn: async () => (await got(api.POST("/api/places/propose", { body: { devices } }))).proposals,
    gcTime: 0,
    staleTime: 0,
  });
  const decide = useChange(
    (made: Proposal[]) => got(api.POST("/api/places/decide", { body: { assignments: made.map(({ device, values, version }) => ({ device, values, version })) } })),
    close,
  );
  if (asked.error) return <Trouble problem={asProblem(asked.error)} again={() => void asked.refetch()} />;
  if (!asked.data) return <Waiting>Looking for places by the rules …</Waiting>;
  const changes = asked.data.filter((one) => Object.keys(one.values).length);
  const stays = asked.data.length - changes.length - asked.data.filter((one) => one.problem).length;
  const ruleless = [...new Set(asked.data.map((one) => one.line))].map((id) => lines.find((line) => line.id === id)).filter((line) => line && !Object.keys(line.rules).length);
  return (
    <section aria-label="By the rules" className="mb-3 rounded-[3px] border border-weave bg-ground/40 px-3 py-2 text-[13px]">
      {ruleless.length > 0 && <p className="mb-1 text-[12.5px] text-soft">Nobody decided rules for {ruleless.map((line) => line!.name).join(", ")}: any free place is good there. A press on the line's name opens them.</p>}
      {stays > 0 && <p className="text-soft">{plural(stays, "device")} {stays === 1 ? "stays" : "stay"} as {stays === 1 ? "it is" : "they are"}.</p>}
      <ul className="max-h-80 overflow-auto">
        {asked.data
          .filter((one) => one.problem || Object.keys(one.values).length)
          .map((one) => (
            <li key={one.device} className="border-t border-weave/60 py-1 first:border-t-0">
              <span className="font-medium">{one.name}</span>{" "}
              {one.problem ? (
                <span className="text-madder">{one.problem} <span className="text-soft">{one.hint}</span></span>
              ) : (
                <>
                  <span className="font-mono text-[12.5px] whitespace-nowrap">{one.stays ? one.address : `${one.before || "nowhere"} → ${one.address}`}</span>
                  {Object.entries(one.values).flatMap(([role, value]) => (ROLES[role] ? [<span key={role} className="ml-2 whitespace-nowrap text-soft">{ROLES[role]} <span className="font-mono text-[12.5px] text-ink">{value}</span></span>] : []))}
                  <span className="block text-[12px] text-soft">{one.why.join(" ")}</span>
                </>
              )}
            </li>
          ))}
      </ul>
      <div className="mt-2 flex gap-2">
        <Button look="strong" disabled={!changes.length || decide.isPending} onClick={() => decide.mutate(changes)}>
          {changes.length ? `Decide this for ${plural(changes.length, "device")}` : "All are by the rules"}
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </section>
  );
}
