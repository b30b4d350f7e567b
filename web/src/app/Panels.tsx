import { lazy, Suspense, useState } from "react";
import { useNavigate } from "react-router";
import type { Device, Schemas } from "../api/client";
import { useBegin } from "../api/work";
import { stateOf } from "../lib/knots";
import { ask, openPanel, place, select } from "../lib/place";
import { useStore } from "../lib/store";
import { plural } from "../lib/words";
import { AddLine } from "../lenses/survey/AddLine";
import { Expected } from "../lenses/survey/Expected";
import { PlanDevice } from "../lenses/survey/PlanDevice";
import { PeoplePanel } from "../people/PeoplePanel";
import { Mark } from "../ui/Mark";
import { Over } from "../ui/Over";
import { Button } from "../ui/Button";
import { KEYS } from "./keys";

interface Props {
  overview: Schemas["Overview"];
  devices: Device[];
  person: Schemas["Person"];
}

const close = () => openPanel("");
// A terminal is large, and most days nobody opens one.
const Console = lazy(() => import("../console/ConsolePanel"));

function ConsolePanel(props: { devices: Device[]; overview: Schemas["Overview"]; close: () => void }) {
  return (
    <Suspense fallback={null}>
      <Console {...props} />
    </Suspense>
  );
}

export function Panels({ overview, devices, person }: Props) {
  const panel = useStore(place, (p) => p.panel);
  if (panel === "find") return <Find devices={devices} />;
  if (panel === "keys") return <Keys />;
  if (panel === "actions") return <Actions devices={devices} lead={person.role === "lead"} />;
  if (panel === "line") return <AddLine close={close} />;
  if (panel === "expected") return <Expected close={close} />;
  if (panel === "console") return <ConsolePanel devices={devices} overview={overview} close={close} />;
  if (panel === "people") return <PeoplePanel person={person} close={close} />;
  if (panel === "plan-device") return <PlanDevice overview={overview} close={close} />;
  return null;
}

function Keys() {
  return (
    <Over title="Keys" close={close}>
      <dl className="grid grid-cols-[9rem_1fr] gap-y-1.5 overflow-auto px-4 py-3 text-[13px]">
        {KEYS.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-mono text-[12.5px]">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Over>
  );
}

const SHOWN = 40;

function Find({ devices }: { devices: Device[] }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const low = text.toLowerCase();
  const found = devices
    .filter((d) => [d.name, d.serial, d.model, d.area, ...d.addresses.map((p) => p.address)].some((v) => v.toLowerCase().includes(low)))
    .slice(0, SHOWN);

  function go(device: Device | undefined) {
    if (!device) return;
    close();
    select(device.id, "only");
    requestAnimationFrame(() => document.getElementById(`knot-${device.id}`)?.scrollIntoView({ block: "center" }));
  }

  return (
    <Over title="Find a device" close={close}>
      <input
        autoFocus
        aria-label="Name, address, serial number, model or area"
        placeholder="Name, address, serial number, model or area"
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown") setAt((n) => Math.min(n + 1, found.length - 1));
          if (event.key === "ArrowUp") setAt((n) => Math.max(n - 1, 0));
          if (event.key === "Enter") go(found[at]);
        }}
        className="border-b border-weave bg-cloth px-4 py-2.5 text-[15px] outline-none"
      />
      <ul className="overflow-auto py-1">
        {found.map((device, index) => {
          const { shape, tone, word } = stateOf(device);
          return (
            <li key={device.id}>
              <button
                type="button"
                onClick={() => go(device)}
                className={`flex w-full items-center gap-2 px-4 py-1 text-left text-[13px] ${index === at ? "bg-indigo-wash" : "hover:bg-weave/60"}`}
              >
                <Mark shape={shape} tone={tone} />
                <span className="flex-1 truncate">{device.name}</span>
                <span className="font-mono text-[12px] text-soft">{device.serial}</span>
                <span className="w-28 truncate text-right font-mono text-[12px]">{device.addresses[0]?.address ?? "–"}</span>
                <span className="w-16 text-[12px] text-soft">{word}</span>
              </button>
            </li>
          );
        })}
        {!found.length && <li className="px-4 py-3 text-[13px] text-soft">Nothing here is called that.</li>}
      </ul>
    </Over>
  );
}

function Actions({ devices, lead }: { devices: Device[]; lead: boolean }) {
  const selected = useStore(place, (p) => p.selected);
  const begin = useBegin();
  const navigate = useNavigate();
  const ids = [...selected];
  const chosen = devices.filter((d) => selected.has(d.id));
  const fresh = chosen.filter((d) => !d.taken_in);
  const what = ids.length ? plural(ids.length, "device") : "all devices";
  const run = (work: Parameters<typeof begin.mutate>[0]) => () => {
    close();
    begin.mutate(work);
  };
  const actions: [string, () => void][] = [
    ["Sweep all lines", run({ kind: "sweep" })],
    [`Read ${what}`, run({ kind: "read", devices: ids })],
    [
      `Show what would be written to ${what}`,
      () => {
        close();
        ask({ kind: "apply", devices: ids });
      },
    ],
    [`Back up ${what}`, run({ kind: "backup", devices: ids })],
    [`Verify ${what}`, run({ kind: "verify", devices: ids })],
  ];
  if (lead) actions.push([`Back up ${what} as baseline`, run({ kind: "backup", devices: ids, baseline: true })]);
  if (fresh.length) actions.unshift([`Take in ${plural(fresh.length, "device")}`, () => (close(), void navigate("/survey"))]);
  return (
    <Over title={ids.length ? `With ${what}` : "With everything"} close={close}>
      <div className="flex flex-col gap-1 p-3">
        {actions.map(([name, act], index) => (
          <Button key={name} look="bare" autoFocus={index === 0} className="justify-start !text-ink" onClick={act}>
            {name}
          </Button>
        ))}
      </div>
    </Over>
  );
}
