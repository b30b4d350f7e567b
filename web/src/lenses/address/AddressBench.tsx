import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { troublesQuery } from "../../api/queries";
import { isFitted } from "../../lib/knots";
import { useStore } from "../../lib/store";
import type { Device, Line, Schemas } from "../../api/client";
import { LeftToDo } from "../../bench/LeftToDo";
import { Papers } from "../../bench/Papers";
import { place } from "../../lib/place";
import { bounds, goesTo } from "../../lib/places";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Empty, Waiting } from "../../ui/parts";
import type { BenchProps } from "../lens";
import { lensOf } from "../registry";
import { Access } from "./Access";
import { Giving } from "./Giving";
import { LineRules } from "./LineRules";
import { Legend, PlacePicture } from "./PlacePicture";
import { Planned } from "./Planned";
import { Queue } from "./Queue";
import { SecondAddress } from "./SecondAddress";
import { TableBack } from "../../bench/TableBack";
import { Universes } from "./universes/Universes";
import { Wrong } from "./Wrong";

/** Address: what is wrong first; planned against found; the places of each line; change, and find again. */
export function AddressBench({ chosen, devices, overview, person }: BenchProps) {
  const opened = useStore(place, (p) => p.line);
  const [queue, setQueue] = useState("");
  const line = chosen.length ? undefined : overview.lines.find((one) => one.id === opened);
  const rows = (chosen.length ? chosen : line ? devices.filter((d) => d.addresses[0]?.line_id === line.id) : devices).filter((d) => d.taken_in);
  const fresh = chosen.filter((d) => !d.taken_in);
  const around = line
    ? [line]
    : overview.lines.filter((one) => !chosen.length || chosen.some((d) => d.addresses.some((p) => p.line_id === one.id)));
  // What is wrong stands first, so the rest waits for it once, and nothing jumps.
  const looked = useQuery(troublesQuery);
  if (looked.isPending) return <Waiting>Looking at the places …</Waiting>;
  const placed = mostToTell(around, looked.data ?? [], devices);
  const drawn = placed.slice(0, DRAWN);
  const pictures = drawn.map((one) => <PlacePicture key={one.id} line={one} areas={overview.areas} devices={devices} chosen={chosen} />);
  if (line && queue === line.id) return <Queue line={line} devices={devices} close={() => setQueue("")} />;
  // Of several networks at once they would bury the rest; a press on a network's name opens its own.
  const universal = (line ? [line] : chosen.length ? around : []).filter((one) => one.kind === "ip");
  const toCome = line ? devices.filter((d) => d.taken_in && !isFitted(d) && d.addresses[0]?.line_id === line.id).length : 0;
  return (
    <>
      {line && (
        <div className="mb-2 flex items-baseline justify-between gap-2 border-b border-weave pb-2">
          <h2 className="truncate text-[17px] font-semibold">{line.name}</h2>
          <Button look="bare" onClick={() => place.set({ line: "" })}>
            All lines
          </Button>
        </div>
      )}
      {line?.kind === "ip" && <SecondAddress line={line} lines={overview.lines} />}
      {line && toCome > 0 && (
        <p className="mb-3 flex flex-wrap items-center gap-2 text-[13px]">
          <Button onClick={() => setQueue(line.id)}>New units one after the other</Button>
          <span className="text-soft">{plural(toCome, "device")} planned here {toCome === 1 ? "has" : "have"} no unit yet.</span>
        </p>
      )}
      <Wrong devices={devices} chosen={chosen} line={line?.id ?? ""} />
      {!chosen.length && !line && (
        <div className="mt-4">
          <LeftToDo devices={devices} lens={lensOf("address")} />
        </div>
      )}
      {fresh.length > 0 && (
        <Empty title={`${plural(fresh.length, "device")} not taken in yet.`}>Take in first, under Survey; then give an address.</Empty>
      )}
      {line && <div className="mt-3">{pictures}<Legend /></div>}
      {universal.map((one) => (
        <Universes key={`universes ${one.id}`} line={one} areas={overview.areas} devices={devices} chosen={chosen} />
      ))}
      {line?.kind === "ip" && <Giving key={`giving ${line.id}`} line={line} devices={devices} />}
      {line && <LineRules key={line.id} line={line} areas={overview.areas} devices={devices} />}
      {rows.length > 0 && <Planned rows={rows} chosen={chosen} devices={devices} overview={overview} of={line ? `on ${line.name}` : chosen.length ? "selected" : "all that are taken in"} />}
      {chosen.length === 1 && chosen[0].taken_in && <Access key={chosen[0].id} device={chosen[0]} lead={person.role === "lead"} />}
      {!line && (
        <div className="mt-5">
          {pictures}
          {pictures.length > 0 && <Legend />}
          {placed.length > drawn.length && <p className="text-[12.5px] text-soft">{plural(placed.length - drawn.length, "more line")}: a press on a line&apos;s name on the loom shows its places.</p>}
        </div>
      )}
      {!chosen.length && !line && (
        <>
          <Papers kinds={["schedule"]} title="To hand on" rows={2} />
          <TableBack title="A schedule that comes back" words="A CSV or XLSX as the schedule has it, changed elsewhere:" label="Address schedule that was changed" url="/api/places/table" />
        </>
      )}
    </>
  );
}

const DRAWN = 5; // pictures at once: a hundred lines are not looked at together

/** Lines with places, those first of which there is most to tell: what is wrong there, who is to move. */
function mostToTell(lines: Line[], troubles: Schemas["Trouble"][], devices: Device[]): Line[] {
  const weight = new Map<string, number>();
  const add = (line: string, by: number) => weight.set(line, (weight.get(line) ?? 0) + by);
  for (const one of troubles) add(one.line, 2);
  for (const device of devices) if (device.addresses[0] && goesTo(device, device.addresses[0].line_id)) add(device.addresses[0].line_id, 1);
  return lines.filter((line) => bounds(line)).sort((a, b) => (weight.get(b.id) ?? 0) - (weight.get(a.id) ?? 0));
}
