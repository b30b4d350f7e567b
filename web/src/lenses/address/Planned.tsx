import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Line } from "../../api/client";
import { freeQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { addressNumber, isFitted } from "../../lib/knots";
import { ask } from "../../lib/place";
import { stepped } from "../../lib/places";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { INK, Mark } from "../../ui/Mark";
import { Heading, Input, Labelled, Trouble } from "../../ui/parts";
import type { BenchProps } from "../lens";
import { lensOf, tells } from "../registry";
import { Proposals } from "./Proposals";

interface Props extends Pick<BenchProps, "chosen" | "devices" | "overview"> {
  rows: Device[];
  of: string;
}

/** Planned against found, device by device; by hand, by the rules of the line, or one after the other. */
export function Planned({ rows, chosen, devices, overview, of }: Props) {
  const [proposing, setProposing] = useState(false);
  const differing = rows.filter((d) => isFitted(d) && (d.addresses[0]?.address !== d.planned_address || d.counts.pending > 0));
  // Where a fixture is found is its node's place; its own are slots, and stand above.
  const inOrder = rows.filter((d) => d.slot === null).sort((a, b) => (a.addresses[0]?.line ?? "").localeCompare(b.addresses[0]?.line ?? "") || addressNumber(a.addresses[0]?.address ?? "") - addressNumber(b.addresses[0]?.address ?? ""));
  const placed = rows.filter((d) => d.addresses.length && d.slot === null);
  return (
    <>
      <Heading aside={of}>Planned against found</Heading>
      <div className="mb-2 flex flex-wrap items-end gap-2">
        <Button look="strong" disabled={!differing.length} onClick={() => ask({ kind: "apply", devices: differing.map((d) => d.id) })}>
          {differing.length ? `Show what would be written to ${plural(differing.length, "device")}` : "All are as planned"}
        </Button>
        {placed.length > 0 && (
          <Button aria-expanded={proposing} onClick={() => setProposing(!proposing)}>
            By the rules of {new Set(placed.map((d) => d.addresses[0].line_id)).size > 1 ? "their lines" : "the line"}
          </Button>
        )}
        {chosen.length === 2 && inOrder.length === 2 && <Exchange pair={rows} />}
        {chosen.length > 1 && inOrder.length === rows.length && <Fill chosen={rows} lines={overview.lines} />}
      </div>
      {proposing && <Proposals devices={placed.map((d) => d.id)} lines={overview.lines} close={() => setProposing(false)} />}
      {inOrder.length > 0 && (
        <table className="w-full text-[13px]">
          <thead>
            <tr className="text-left text-[12px] text-soft">
              <th className="pr-2 font-normal">Device</th>
              <th className="pr-2 font-normal">Found at</th>
              <th className="pr-2 font-normal">Planned</th>
              <th className="font-normal">Tells</th>
            </tr>
          </thead>
          <tbody>
            {inOrder.map((device) => (
              <Row key={`${device.id}-${device.planned_address}`} device={device} devices={devices} line={overview.lines.find((one) => one.id === device.addresses[0]?.line_id)} />
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Row({ device, devices, line }: { device: Device; devices: Device[]; line?: Line }) {
  const [text, setText] = useState(device.planned_address);
  const client = useQueryClient();
  const plan = useMutation({
    mutationFn: (address: string) => got(api.POST("/api/addresses", { body: { assignments: [{ device: device.id, address }] } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["devices"] }),
  });
  const { shape, tone, word, ordinary } = tells(device, lensOf("address"));
  const place = device.addresses[0];
  const problem = plan.error ? asProblem(plan.error) : null;
  const decide = () => {
    if (text && text !== device.planned_address) plan.mutate(text.trim());
  };
  const step = (event: React.KeyboardEvent) => {
    if (!line || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    setText(stepped(line, devices, text || place?.address || "", event.key === "ArrowUp" ? 1 : -1));
  };
  return (
    <>
      <tr className="border-t border-weave">
        <td className="max-w-40 truncate py-1 pr-2">{device.name}</td>
        <td className="pr-2 font-mono text-[12.5px] whitespace-nowrap">
          {isFitted(device) ? `${place?.address ?? "–"}${place?.speed ? ` · ${place.speed}` : ""}` : "–"}
        </td>
        <td className="pr-2">
          <Input
            aria-label={`Planned address of ${device.name}`}
            aria-invalid={!!problem}
            title="Up and down step to the next free place"
            value={text}
            onChange={(event) => setText(event.target.value)}
            onBlur={decide}
            onKeyDown={(event) => (event.key === "Enter" ? decide() : step(event))}
            className={`w-32 font-mono !text-[12.5px] ${problem ? "!border-madder" : ""}`}
          />
        </td>
        <td className={`text-[12px] whitespace-nowrap ${INK[tone]}`}>
          <span className="inline-flex items-center gap-1">
            <Mark shape={shape} tone={tone} size={13} /> <span className={ordinary ? "sr-only sm:not-sr-only" : undefined}>{word}</span>
          </span>
        </td>
      </tr>
      {problem && (
        <tr>
          <td colSpan={4} className="pb-1.5">
            <Trouble problem={problem} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Two devices of one line take each other's place: decided at once, written by way of a spare place. */
function Exchange({ pair: [one, other] }: { pair: Device[] }) {
  const plan = useChange((assignments: { device: string; address: string }[]) => got(api.POST("/api/addresses", { body: { assignments } })));
  const places = [one, other].map((device) => device.addresses[0]);
  if (places.some((place) => !place?.address) || places[0].line_id !== places[1].line_id || places[0].address === places[1].address) return null;
  return (
    <Button
      title={`${one.name} to ${places[1].address}, ${other.name} to ${places[0].address}`}
      disabled={plan.isPending}
      onClick={() =>
        plan.mutate([
          { device: one.id, address: places[1].address },
          { device: other.id, address: places[0].address },
        ])
      }
    >
      Let them change places
    </Button>
  );
}

/** Give the selected devices free addresses one after the other. */
function Fill({ chosen, lines }: { chosen: Device[]; lines: Line[] }) {
  const line = lines.find((one) => chosen.every((d) => d.addresses[0]?.line_id === one.id));
  const free = useQuery({ ...freeQuery(line?.id ?? ""), enabled: !!line });
  const [from, setFrom] = useState("");
  const plan = useChange((assignments: { device: string; address: string }[]) => got(api.POST("/api/addresses", { body: { assignments } })));
  if (!line || !free.data) return null;
  const usable = from ? free.data.filter((address) => addressNumber(address) >= addressNumber(from)) : free.data;
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        plan.mutate(chosen.map((device, index) => ({ device: device.id, address: usable[index] })));
      }}
    >
      <Labelled label="Free addresses from">
        <Input value={from} placeholder={free.data[0]} onChange={(event) => setFrom(event.target.value)} className="w-32 font-mono" />
      </Labelled>
      <Button type="submit" disabled={usable.length < chosen.length}>
        Plan {chosen.length} addresses
      </Button>
    </form>
  );
}
