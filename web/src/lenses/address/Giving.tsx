import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Schemas } from "../../api/client";
import { givingQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { bounds, placeAt, stepped } from "../../lib/places";
import { ago, plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Trouble } from "../../ui/parts";

type State = Schemas["Giving"];
type Exchange = Schemas["Exchange"];

const MINUTES = [10, 30, 60, 240];
const SHOWN = 12;

/** Answering units that ask for an address: off until somebody asks for it, seen while it lasts, ended by itself. */
export function Giving({ line, devices }: { line: Line; devices: Device[] }) {
  const { data: giving, error } = useQuery(givingQuery(line.id));
  const [minutes, setMinutes] = useState(30);
  const path = { params: { path: { ident: line.id } } };
  const begin = useChange(() => got(api.POST("/api/lines/{ident}/giving", { ...path, body: { minutes } })));
  const end = useChange(() => got(api.DELETE("/api/lines/{ident}/giving", path)));
  const here = line.source.startsWith("127.");
  return (
    <section className="mt-4" aria-label={`Giving addresses on ${line.name}`}>
      <Heading aside={giving ? `until ${new Date(giving.until * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}, begun by ${giving.by}` : undefined}>Giving addresses by DHCP and BOOTP</Heading>
      {error && <Trouble problem={asProblem(error)} />}
      {giving ? (
        <>
          <State giving={giving} line={line} devices={devices} />
          <Button className="mt-2" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
            End it
          </Button>
        </>
      ) : here ? (
        <p className="text-[13px] text-soft">On loopback nobody asks for an address. On a line of a real interface, units that ask are given what is planned for them.</p>
      ) : (
        <div className="flex flex-wrap items-center gap-2 text-[13px]">
          <Button disabled={begin.isPending} onClick={() => begin.mutate(undefined)}>
            Answer units that ask
          </Button>
          for
          <Choice aria-label="How long addresses are given" value={minutes} onChange={(event) => setMinutes(Number(event.target.value))}>
            {MINUTES.map((one) => (
              <option key={one} value={one}>
                {one} minutes
              </option>
            ))}
          </Choice>
          <span className="basis-full text-[12px] text-soft">Only on {line.interface || "this line's interface"}, and only those whose MAC address is in the plan, or whom you accept as they appear.</span>
        </div>
      )}
    </section>
  );
}

function State({ giving, line, devices }: { giving: State; line: Line; devices: Device[] }) {
  return (
    <div className="text-[13px]" aria-live="polite">
      {giving.trouble && <Trouble problem={{ message: giving.trouble, hint: "End it, look at this computer's network, begin again." }} />}
      {giving.others.map((one) => (
        <p key={one.server} className="mb-1 rounded-[3px] bg-madder-wash px-2 py-1 text-madder">
          Another server gives addresses on this line: <span className="font-mono text-[12.5px]">{one.server}</span>, {one.how}. A unit may take either's.
        </p>
      ))}
      {giving.notes.map((note) => (
        <p key={note} className="mb-1 text-weld">
          {note}
        </p>
      ))}
      {giving.strangers.length > 0 && <p className="mt-1 font-medium">{plural(giving.strangers.length, "unit")} in no plan {giving.strangers.length === 1 ? "asks" : "ask"}:</p>}
      <ul>
        {giving.strangers.map((one) => (
          <Stranger key={one.mac} one={one} line={line} devices={devices} taken={giving.accepted.map((other) => other.address)} />
        ))}
      </ul>
      {giving.exchanges.length === 0 && <p className="text-soft">Nobody asked yet. A unit asks when it is switched on.</p>}
      <table className="w-full">
        <tbody>
          {giving.exchanges.slice(0, SHOWN).map((one) => (
            <tr key={`${one.mac} ${one.asked} ${one.said} ${one.time}`} className="border-t border-weave/60 align-top">
              <td className="pr-2 font-mono text-[12.5px] whitespace-nowrap">{one.mac}</td>
              <td className="pr-2">
                {one.name || one.host || <span className="text-soft">in no plan</span>} <span className="text-soft">{one.asked}</span>
              </td>
              <td className={one.said.startsWith("given") || one.said.startsWith("offered") ? "text-woad" : "text-weld"}>
                {one.said}
                {one.count > 1 && <span className="text-soft"> ×{one.count}</span>}
              </td>
              <td className="pl-2 text-right whitespace-nowrap text-soft">{ago(new Date(one.time * 1000).toISOString())}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Stranger({ one, line, devices, taken }: { one: Exchange; line: Line; devices: Device[]; taken: string[] }) {
  const first = bounds(line)![0];
  let free = stepped(line, devices, placeAt(line, first), 1);
  while (taken.includes(free)) {
    const next = stepped(line, devices, free, 1);
    if (next === free) break;
    free = next;
  }
  const [address, setAddress] = useState("");
  const accept = useChange(() => got(api.POST("/api/lines/{ident}/giving/accept", { params: { path: { ident: line.id } }, body: { mac: one.mac, address: address || free } })));
  return (
    <li className="flex flex-wrap items-center gap-2 border-t border-weave/60 py-1">
      <span className="font-mono text-[12.5px]">{one.mac}</span>
      <span className="min-w-0 flex-1 truncate text-soft">{[one.host, one.name].filter(Boolean).join(", ") || "tells no name"}</span>
      <Input aria-label={`Address for ${one.mac}`} value={address} placeholder={free} onChange={(event) => setAddress(event.target.value)} className="w-32 font-mono !text-[12.5px]" />
      <Button disabled={accept.isPending} onClick={() => accept.mutate(undefined)}>
        Give it this one
      </Button>
    </li>
  );
}
