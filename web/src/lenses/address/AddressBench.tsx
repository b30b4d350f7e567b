import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Schemas } from "../../api/client";
import { freeQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { Papers } from "../../bench/Papers";
import { WithDevice } from "../../bench/WithDevice";
import type { BenchProps } from "../lens";
import { addressNumber, isFitted, rowsOf, shortAddress } from "../../lib/knots";
import { lensOf, tells } from "../registry";
import { ask, select } from "../../lib/place";
import { kindOf, plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Empty, Heading, Input, Labelled, Mono, Trouble } from "../../ui/parts";
import { INK, Mark } from "../../ui/Mark";

/** Address: planned against found; change, and find again. */
export function AddressBench({ chosen, devices, overview }: BenchProps) {
  const rows = (chosen.length ? chosen : devices).filter((d) => d.taken_in);
  const differing = rows.filter((d) => isFitted(d) && (d.addresses[0]?.address !== d.planned_address || d.counts.pending > 0));
  const fresh = chosen.filter((d) => !d.taken_in);
  // Of who is selected the own lines, below, so that nothing pushes the own address out of view.
  const strips = overview.lines
    .filter((line) => !chosen.length || chosen.some((d) => d.addresses.some((p) => p.line_id === line.id)))
    .map((line) => <AddressStrip key={line.id} line={line} devices={devices} />);
  return (
    <>
      {!chosen.length && strips}
      {!chosen.length && <Papers kinds={["schedule"]} title="To hand on" rows={2} />}
      {fresh.length > 0 && (
        <Empty title={`${plural(fresh.length, "device")} not taken in yet.`}>Take in first, under Survey; then give an address.</Empty>
      )}
      {rows.length > 0 && (
        <>
          <Heading aside={chosen.length ? "selected" : "all that are taken in"}>Planned against found</Heading>
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
              {rows.map((device) => (
                <Row key={`${device.id}-${device.planned_address}`} device={device} />
              ))}
            </tbody>
          </table>
          <div className="mt-3 flex flex-wrap items-center gap-2">
            <Button
              look="strong"
              disabled={!differing.length}
              onClick={() => ask({ kind: "apply", devices: differing.map((d) => d.id) })}
            >
              {differing.length ? `Show what would be written to ${plural(differing.length, "device")}` : "All are as planned"}
            </Button>
            {chosen.length === 2 && rows.length === 2 && <Exchange pair={rows} />}
            {chosen.length > 1 && <Fill chosen={rows} lines={overview.lines} />}
          </div>
        </>
      )}
      {chosen.length === 1 && chosen[0].taken_in && <Access device={chosen[0]} />}
      {chosen.length > 0 && <div className="mt-5">{strips}</div>}
    </>
  );
}

function Row({ device }: { device: Device }) {
  const [text, setText] = useState(device.planned_address);
  const client = useQueryClient();
  const plan = useMutation({
    mutationFn: (address: string) => got(api.POST("/api/addresses", { body: { assignments: [{ device: device.id, address }] } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["devices"] }),
  });
  const { shape, tone, word } = tells(device, lensOf("address"));
  const place = device.addresses[0];
  const problem = plan.error ? asProblem(plan.error) : null;
  const decide = () => {
    if (text && text !== device.planned_address) plan.mutate(text.trim());
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
            value={text}
            onChange={(event) => setText(event.target.value)}
            onBlur={decide}
            onKeyDown={(event) => event.key === "Enter" && decide()}
            className={`w-32 font-mono !text-[12.5px] ${problem ? "!border-madder" : ""}`}
          />
        </td>
        <td className={`text-[12px] whitespace-nowrap ${INK[tone]}`}>
          <span className="inline-flex items-center gap-1">
            <Mark shape={shape} tone={tone} size={13} /> {word}
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

const CELL = 7;
const ON_BUS: Record<string, number> = { osdp: 128, modbus: 256 };

/** How many addresses the strip shows; none for a line with one device at its end. */
function sizeOf(line: Line): number {
  if (line.kind === "ip") return Math.min(2 ** (32 - Number(line.network.split("/")[1])), 256);
  return line.kind === "behind" ? 32 : (ON_BUS[line.protocol] ?? 0);
}

/** A line's addresses as a strip: who has which, where the gaps are, who wants to go where. */
function AddressStrip({ line, devices }: { line: Line; devices: Device[] }) {
  const rows = rowsOf(line, devices).filter((row) => row.kind === "knot");
  const size = sizeOf(line);
  if (!size) return null;
  const perRow = 64;
  const offset = (address: string) => Math.floor(addressNumber(address)) % size;
  return (
    <div className="mb-3">
      <p className="mb-1 flex justify-between text-[12px] text-soft">
        <span className="font-semibold text-ink">{line.name}</span>
        {line.kind === "ip" ? line.network : kindOf(line)}
      </p>
      <svg role="img" aria-label={`Addresses of ${line.name}: ${rows.length} taken`} viewBox={`0 0 ${perRow * CELL} ${Math.ceil(size / perRow) * (CELL + 1)}`} className="w-full">
        {Array.from({ length: size }, (_, n) => (
          <rect key={n} x={(n % perRow) * CELL} y={Math.floor(n / perRow) * (CELL + 1)} width={CELL - 1} height={CELL - 1} rx="1" className="fill-weave/70" />
        ))}
        {rows.map(({ device, address }) => {
          const n = offset(address);
          const x = (n % perRow) * CELL;
          const y = Math.floor(n / perRow) * (CELL + 1);
          const { tone, word } = tells(device, lensOf("address"));
          const planned = device.planned_address !== address && device.planned_address ? offset(device.planned_address) : -1;
          return (
            <g key={device.id} onClick={() => select(device.id, "only")} className={INK[tone]}>
              <title>{`${shortAddress(address)} ${device.name}: ${word}`}</title>
              {planned >= 0 && (
                <rect x={(planned % perRow) * CELL + 0.5} y={Math.floor(planned / perRow) * (CELL + 1) + 0.5} width={CELL - 2} height={CELL - 2} rx="1" fill="none" stroke="currentColor" strokeWidth="1.2" />
              )}
              <rect x={x} y={y} width={CELL - 1} height={CELL - 1} rx="1" fill={isFitted(device) ? "currentColor" : "none"} stroke="currentColor" strokeDasharray={isFitted(device) ? undefined : "1.5 1"} />
            </g>
          );
        })}
      </svg>
    </div>
  );
}

/** How Netloom gets into the device. Can be replaced, never read. */
function Access({ device }: { device: Device }) {
  const save = useChange((body: { user: string; password: string }) =>
    got(api.PUT("/api/devices/{word}/credentials", { params: { path: { word: device.id } }, body })),
  );
  const forget = useChange(() => got(api.DELETE("/api/devices/{word}/credentials", { params: { path: { word: device.id } } })));
  if (device.addresses[0]?.speed) return null;
  return (
    <>
      <Heading aside="encrypted; never shown again">Access</Heading>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          const form = new FormData(event.currentTarget);
          save.mutate({ user: String(form.get("user")), password: String(form.get("password")) });
          event.currentTarget.reset();
        }}
      >
        <Labelled label="User name">
          <Input name="user" required autoComplete="off" className="w-32" />
        </Labelled>
        <Labelled label="Password">
          <Input name="password" type="password" autoComplete="new-password" className="w-32" />
        </Labelled>
        <Button type="submit">{save.isSuccess ? "Saved" : "Save"}</Button>
        <Button onClick={() => forget.mutate(undefined)}>Use the factory's</Button>
      </form>
      <WithDevice id={device.id}>{(whole) => <Certificate device={whole} />}</WithDevice>
    </>
  );
}

/** Of TLS: what it showed at first sight, and is known by. */
function Certificate({ device }: { device: Schemas["WholeDevice"] }) {
  const forget = useChange(() => got(api.DELETE("/api/devices/{word}/certificate", { params: { path: { word: device.id } } })));
  if (!device.certificate) return null;
  return (
    <p className="mt-2 flex flex-wrap items-center gap-2 text-[12.5px]">
      <span title={`SHA-256 ${device.certificate}`}>
        Known by its certificate <Mono>{`${device.certificate.slice(0, 16)}…`}</Mono>
      </span>
      <Button onClick={() => forget.mutate(undefined)}>It made a new one: forget this</Button>
    </p>
  );
}
