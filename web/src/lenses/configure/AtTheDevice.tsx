import type { WholeDevice } from "../../api/client";
import { PATTERNS } from "../../lib/lights";
import { Heading } from "../../ui/parts";

const PROCEDURES: Record<string, string> = { "factory-reset": "Back to its factory's state", initialise: "Initialise", restart: "Restart", store: "Store", identify: "Show itself" };

/** What a person sees and does at the device itself: lights, acts by hand, connectors as printed. */
export function AtTheDevice({ device }: { device: WholeDevice }) {
  const { lights, by_hand, connectors } = device.face;
  if (!lights.length && !by_hand.length && !connectors.length) return null;
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
                {one.colour} {PATTERNS[one.pattern] ?? one.pattern}: {one.means} {one.then && <span className="text-soft">{one.then}</span>}
              </li>
            ))}
          </ul>
        </div>
      ))}
      {by_hand.map((procedure) => (
        <div key={procedure.name} className="mb-1.5 text-[12.5px]">
          <p className="font-semibold">{PROCEDURES[procedure.name] ?? procedure.name}, by hand</p>
          <ol className="ml-5 list-decimal">
            {procedure.steps.map((step) => (
              <li key={step.words}>
                {step.words} {step.note && <span className="text-soft">{step.note}</span>}
              </li>
            ))}
          </ol>
          <p className="text-soft">{procedure.survives.length ? `Kept by it: ${procedure.survives.join(", ")}.` : "Nothing is kept by it: back it up first."}</p>
        </div>
      ))}
      {connectors.length > 0 && (
        <ul className="text-[12.5px]">
          {connectors.map((one) => (
            <li key={one.printed}>
              <b className="font-mono">{one.printed}</b> <span className="text-soft">{one.kind}{one.first && `, 1 is on the ${one.first}`}</span>
              {one.terminals.length > 0 && <span className="ml-1 font-mono text-[11px]">{one.terminals.join(" · ")}</span>}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
