import { useMutation } from "@tanstack/react-query";
import { api, got, type Schemas, type WholeDevice } from "../../api/client";
import { tellProblem } from "../../api/work";
import { PATTERNS } from "../../lib/lights";
import { ask, place } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Heading } from "../../ui/parts";

/** What a person sees and does at the device itself: lights, and acts by hand. */
export function AtTheDevice({ device }: { device: WholeDevice }) {
  const { lights, procedures } = device.face;
  const say = useMutation({
    mutationFn: (body: Schemas["LookedRequest"]) => got(api.POST("/api/devices/{word}/lights", { params: { path: { word: device.id } }, body })),
    onError: tellProblem,
    onSuccess: (told) => told.calm && ask({ kind: "procedure", devices: [device.id], procedure: `calm ${told.calm}` }),
  });
  if (!lights.length && !procedures.length && !device.feeder && !device.hanging.length) return null;
  return (
    <>
      <Heading>At the device</Heading>
      {lights.map((light) => (
        <div key={light.printed} className="mb-1.5 text-[12.5px]">
          <p>
            <b className="font-mono">{light.printed}</b> <span className="text-soft">{light.where}</span>
          </p>
          <ul className="ml-3">
            {light.patterns.map((one) => (
              <li key={`${one.pattern}${one.colour}`}>
                {one.colour} {PATTERNS[one.pattern] ?? one.pattern}: {one.means} {one.then && <span className="text-soft">{one.then}</span>}{" "}
                {one.says === "out-of-step" && (
                  <Button look="bare" className="!px-0 !py-0" disabled={say.isPending} onClick={() => say.mutate({ printed: light.printed, pattern: one.pattern, colour: one.colour })}>
                    I see this: bring it back in step …
                  </Button>
                )}
              </li>
            ))}
          </ul>
        </div>
      ))}
      {device.feeder && (
        <div className="mb-1.5 text-[12.5px]">
          <Button onClick={() => ask({ kind: "procedure", devices: [device.id], procedure: "power-cycle" })}>Power-cycle …</Button>{" "}
          <span className="text-soft">
            it has its power from {device.feeder.label} of {device.feeder.name}
          </span>
        </div>
      )}
      <Hanging device={device} />
      {procedures.map((procedure) => (
        <div key={procedure.name} className="mb-1.5 text-[12.5px]">
          <Button onClick={() => ask({ kind: "procedure", devices: [device.id], procedure: procedure.name })}>{procedure.label} …</Button>
          {procedure.by_hand.length > 0 && (
            <ol className="mt-1 ml-5 list-decimal">
              {procedure.by_hand.map((step) => (
                <li key={step.words}>
                  {step.words} {step.note && <span className="text-soft">{step.note}</span>}
                </li>
              ))}
            </ol>
          )}
          {procedure.sets_back && (
            <span className="ml-2 text-soft">{procedure.survives.length ? `Stays: ${procedure.survives.join(", ")}.` : "Nothing stays."} It is backed up before.</span>
          )}
        </div>
      ))}
    </>
  );
}

/** Who hangs on which port of a switch. Where its port gives power, taking it and giving it back is one press, asked for. */
function Hanging({ device }: { device: WholeDevice }) {
  if (!device.hanging.length) return null;
  const powered = (port: string) => device.points.find((point) => point.kind === "power" && point.drive && Object.values(point.place).join() === port);
  return (
    <table className="mb-1.5 w-full text-[12.5px]" aria-label="Who hangs on which port">
      <thead>
        <tr className="text-left text-soft">
          <th className="w-14 font-normal">Port</th>
          <th className="font-normal">Last seen behind it</th>
          <th className="font-normal">Power</th>
        </tr>
      </thead>
      <tbody>
        {device.hanging.map(({ port, devices }) => {
          const power = powered(port);
          return (
            <tr key={port} className="align-top">
              <td className="font-mono">{port}</td>
              <td>
                {devices.map((one) => (
                  <Button key={one.id} look="bare" className="mr-2 !px-0 !py-0" onClick={() => place.set({ selected: new Set([one.id]) })}>
                    {one.name}
                  </Button>
                ))}
                {devices.length > 1 && <span className="text-soft">another switch is between</span>}
              </td>
              <td>
                {power && (power.words[power.state] ?? power.state)}{" "}
                {power && devices.length === 1 && (
                  <Button look="bare" className="!px-0 !py-0" onClick={() => ask({ kind: "procedure", devices: [devices[0].id], procedure: "power-cycle" })}>
                    Power-cycle {devices[0].name} …
                  </Button>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
