import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Schemas } from "../../../api/client";
import { useChange } from "../../../api/work";
import { span } from "../../../lib/universes";
import { plural } from "../../../lib/words";
import { Button } from "../../../ui/Button";
import { Input, Labelled, Trouble, Waiting } from "../../../ui/parts";

type Patch = Schemas["Patch"];

/** Where the rules would let fixtures listen, and why; nothing is decided before somebody agrees. */
export function Patches({ devices, close }: { devices: string[]; close: () => void }) {
  const [into, setInto] = useState("");
  const universe = /^\d{1,5}$/.test(into.trim()) && Number(into) < 32768 ? Number(into) : null;
  const asked = useQuery({
    queryKey: ["patches", devices, universe],
    queryFn: async () => (await got(api.POST("/api/universes/propose", { body: { devices, universe } }))).proposals,
    gcTime: 0,
    staleTime: 0,
  });
  const decide = useChange(
    (made: Patch[]) => got(api.POST("/api/universes/decide", { body: { assignments: made.map(({ device, universe, start, version }) => ({ device, universe, start, version })) } })),
    close,
  );
  if (asked.error) return <Trouble problem={asProblem(asked.error)} again={() => void asked.refetch()} />;
  const changes = (asked.data ?? []).filter((one) => !one.stays && !one.problem);
  const stays = (asked.data ?? []).filter((one) => one.stays).length;
  return (
    <section aria-label="Slots by the rules" className="mb-3 rounded-[3px] border border-weave bg-ground/40 px-3 py-2 text-[13px]">
      <Labelled label="All into universe">
        <Input value={into} inputMode="numeric" placeholder="where each is" onChange={(event) => setInto(event.target.value)} className="w-28 font-mono !text-[12.5px]" />
      </Labelled>
      {!asked.data ? (
        <Waiting>Looking for slots by the rules …</Waiting>
      ) : (
        <>
          {stays > 0 && <p className="mt-1 text-soft">{plural(stays, "fixture")} {stays === 1 ? "stays where it is" : "stay where they are"}.</p>}
          <ul className="max-h-80 overflow-auto">
            {asked.data
              .filter((one) => !one.stays)
              .map((one) => (
                <li key={one.device} className="border-t border-weave/60 py-1 first:border-t-0">
                  <span className="font-medium">{one.name}</span>{" "}
                  {one.problem ? (
                    <span className="text-madder">
                      {one.problem} <span className="text-soft">{one.hint}</span>
                    </span>
                  ) : (
                    <>
                      <span className="font-mono text-[12.5px] whitespace-nowrap">
                        {one.universe} · {span(one.start, one.slots)}
                      </span>
                      <span className="block text-[12px] text-soft">{one.why.join(" ")}</span>
                    </>
                  )}
                </li>
              ))}
          </ul>
        </>
      )}
      <div className="mt-2 flex gap-2">
        <Button look="strong" disabled={!changes.length || decide.isPending} onClick={() => decide.mutate(changes)}>
          {changes.length || !asked.data ? `Decide this for ${plural(changes.length, "fixture")}` : "All are by the rules"}
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </section>
  );
}
