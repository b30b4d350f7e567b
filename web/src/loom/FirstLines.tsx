import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, asProblem, got, type Schemas } from "../api/client";
import { hereQuery, portsQuery } from "../api/queries";
import { tellProblem, useBegin } from "../api/work";
import { openPanel } from "../lib/place";
import { Button } from "../ui/Button";
import { Empty, Heading, Trouble, Waiting } from "../ui/parts";

type Here = Schemas["Here"];
type Port = Schemas["Port"];
type NewLine = Schemas["NewLineRequest"];

/** A site without lines: what this computer has that devices may hang on, to be added by one press. */
export function FirstLines({ away }: { away: number }) {
  const client = useQueryClient();
  const here = useQuery(hereQuery);
  const ports = useQuery(portsQuery);
  const begin = useBegin();
  const [busy, setBusy] = useState(false);
  const networks = (here.data ?? []).filter((one) => !one.line);
  const free = (ports.data ?? []).filter((one) => !one.line);
  const ready = networks.filter((one) => one.link && !one.large);

  async function add(lines: NewLine[], sweep: boolean) {
    setBusy(true);
    try {
      for (const body of lines) await got(api.POST("/api/lines", { body }));
      await client.invalidateQueries({ queryKey: ["overview"] });
      if (sweep) begin.mutate({ kind: "sweep" });
      else toast("Added. A sweep looks along it.");
    } catch (error) {
      tellProblem(error);
    } finally {
      setBusy(false);
      for (const key of ["here", "ports", "overview"]) void client.invalidateQueries({ queryKey: [key] });
    }
  }

  return (
    <section aria-label="Loom" className="flex-1 overflow-auto p-6">
      <div className="mx-auto max-w-2xl">
        <Empty title="Here the lines hang side by side, with their devices as knots.">
          A line is what devices hang on: an IP network, or a serial port. This computer has these; nothing is sent until you sweep.
        </Empty>
        {away > 0 && (
          <p className="my-2 text-[13px]">
            <Button onClick={() => openPanel("archived")}>See what is archived</Button>
          </p>
        )}
        <Heading aside={ready.length > 0 && <span>each is swept from this computer&apos;s own address in it</span>}>Networks</Heading>
        {here.isPending && <Waiting>Looking at this computer&apos;s interfaces …</Waiting>}
        {here.error && <Trouble problem={asProblem(here.error)} again={() => void here.refetch()} />}
        {here.data && !networks.length && <p className="text-[13px] text-soft">This computer is in no network: give its card an address, or plug a cable in.</p>}
        <ul>
          {networks.map((one) => (
            <Row key={`${one.interface} ${one.address}`} name={one.interface} where={one.network} note={noteOf(one)} disabled={busy || one.large} add={() => void add([networkOf(one)], false)} />
          ))}
        </ul>
        <Heading>Serial ports</Heading>
        {ports.data && !free.length && <p className="text-[13px] text-soft">No serial port is here. Plug an adapter in, or add one of a device server.</p>}
        <ul>
          {free.map((one) => (
            <Row key={one.path} name={one.title || one.path} where={one.path} note={one.held ? `held by ${one.held}` : ""} disabled={false} word="Add …" add={() => openPanel("line")} />
          ))}
        </ul>
        <div className="mt-4 flex gap-2">
          {ready.length > 0 && (
            <Button look="strong" disabled={busy} onClick={() => void add(ready.map(networkOf), true)}>
              Add {ready.length === 1 ? "the network" : `${ready.length} networks`} and sweep
            </Button>
          )}
          <Button onClick={() => openPanel("line")}>Add another line …</Button>
        </div>
      </div>
    </section>
  );
}

function noteOf(one: Here): string {
  if (one.large) return "too large for a line: add the part where the devices are";
  return one.link ? `this computer is ${one.address}` : "no link: look at its cable";
}

function networkOf(one: Here): NewLine {
  return { kind: "ip", name: `Network on ${one.interface}`, network: one.network, interface: one.interface, speed: 9600, protocol: "osdp", parity: "N" };
}

interface RowProps {
  name: Port["title"];
  where: string;
  note: string;
  disabled: boolean;
  add: () => void;
  word?: string;
}

function Row({ name, where, note, disabled, add, word = "Add" }: RowProps) {
  return (
    <li className="flex items-center gap-3 border-b border-weave/70 py-1.5 text-[13px]">
      <span className="w-44 truncate font-medium">{name}</span>
      <span className="font-mono text-[12.5px]">{where}</span>
      <span className="flex-1 text-[12.5px] text-soft">{note}</span>
      <Button disabled={disabled} onClick={add}>
        {word}
      </Button>
    </li>
  );
}
