import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Schemas, type WholeDevice } from "../../api/client";
import { seconds } from "../../lib/strips";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Tag, Trouble, Waiting } from "../../ui/parts";

const OF: Record<string, { word: string; tone: "indigo" | "woad" | "weld" }> = {
  device: { word: "its own", tone: "weld" },
  journal: { word: "journal", tone: "indigo" },
  points: { word: "point", tone: "woad" },
};
const SHOWN = 120;

/** What the device recorded itself, set on our clock, beside the journal and what its points did. */
export function History({ device }: { device: WholeDevice }) {
  const [search, setSearch] = useState("");
  const [of, setOf] = useState("");
  const read = useMutation({ mutationFn: () => got(api.POST("/api/devices/{word}/history", { params: { path: { word: device.id } } })) });
  const told = read.data;
  const low = search.trim().toLowerCase();
  const rows = (told?.rows ?? []).filter((row) => (!of || row.of === of) && (!low || `${row.text} ${row.code}`.toLowerCase().includes(low)));
  return (
    <section aria-label="What happened" className="mt-4">
      <Heading
        aside={
          told && (
            <span className="flex items-center gap-2">
              <Input aria-label="Search in what happened" placeholder="word" value={search} onChange={(event) => setSearch(event.target.value)} className="w-24 !py-0" />
              <Choice aria-label="Out of which record" value={of} className="!py-0" onChange={(event) => setOf(event.target.value)}>
                <option value="">all three</option>
                {Object.entries(OF).map(([id, one]) => (
                  <option key={id} value={id}>
                    {one.word}
                  </option>
                ))}
              </Choice>
            </span>
          )
        }
      >
        What happened
      </Heading>
      <p className="flex flex-wrap items-center gap-2 text-[13px]">
        <Button disabled={read.isPending} onClick={() => read.mutate()}>
          {told ? "Read its record again" : "Read its own event record"}
        </Button>
        <span className="text-soft">{told ? words(told) : "It is laid beside the journal and the point monitor, on one clock."}</span>
      </p>
      {read.isPending && <Waiting>Asking the device for its record …</Waiting>}
      {read.error && <Trouble problem={asProblem(read.error)} again={() => read.mutate()} />}
      {told && (
        <ol className="mt-1 max-h-80 overflow-y-auto text-[12.5px]">
          {rows.slice(0, SHOWN).map((row, at) => (
            <li key={at} className="flex items-baseline gap-2 border-t border-weave/70 py-0.5">
              <span className="w-32 shrink-0 font-mono text-[12px] text-soft" title={row.at ?? ""}>
                {row.at ? new Date(row.at).toLocaleString([], { month: "short", day: "numeric", hour: "2-digit", minute: "2-digit", second: "2-digit" }) : "no time"}
              </span>
              <Tag tone={OF[row.of]?.tone ?? "indigo"}>{OF[row.of]?.word ?? row.of}</Tag>
              <span className="min-w-0 break-words">
                {row.text} {row.code && <span className="font-mono text-soft">{row.code}</span>}
              </span>
            </li>
          ))}
          {rows.length > SHOWN && <li className="py-1 text-soft">and {rows.length - SHOWN} older ones: search to find them</li>}
          {!rows.length && <li className="py-1 text-soft">Nothing there is like that.</li>}
        </ol>
      )}
    </section>
  );
}

function words(told: Schemas["History"]): string {
  const many = plural(told.events, "event");
  if (told.ahead === null) return `${many} of its own; what its clock says against ours is not known.`;
  const off = Math.abs(told.ahead);
  if (off < 2) return `${many} of its own; its clock is right.`;
  return `${many} of its own; its clock is ${seconds(off)} ${told.ahead > 0 ? "ahead" : "behind"}, and its times are set on ours.`;
}
